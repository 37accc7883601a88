using Germinal.Core.Practices;
using NodaTime;
using SkiaSharp;

namespace Germinal.Channels.Letters;

/// <summary>The course of a measure as a small picture: a line over the months, its last point marked. It says nothing that does not stand beside it in words.</summary>
public static class FigureCurve
{
    private const int Width = 400;
    private const int Height = 96;
    private const int Edge = 10;

    // Twice as many points as it is shown with, for sharp screens.
    private const int Scale = 2;

    private static readonly SKColor Ground = new(0xFB, 0xF9, 0xF1);
    private static readonly SKColor Ink = new(0x24, 0x27, 0x20);
    private static readonly SKColor Rule = new(0xDC, 0xD8, 0xCB);
    private static readonly SKColor Leaf = new(0x38, 0x66, 0x2F);

    /// <summary>Draws it.</summary>
    /// <param name="course">Numbers in the order of months; months without one are bridged by the line.</param>
    /// <returns>A PNG.</returns>
    public static byte[] Draw(IReadOnlyList<Figure> course)
    {
        using var surface = SKSurface.Create(new SKImageInfo(Width * Scale, Height * Scale));
        var canvas = surface.Canvas;
        canvas.Scale(Scale);
        canvas.Clear(Ground);
        using var rule = new SKPaint
        {
            Color = Rule,
            StrokeWidth = 1,
            IsStroke = true,
        };
        canvas.DrawLine(Edge, Height - Edge, Width - Edge, Height - Edge, rule);
        if (course.Count > 0)
        {
            DrawLine(canvas, course);
        }

        using var picture = surface.Snapshot();
        using var png = picture.Encode(SKEncodedImageFormat.Png, 100);
        return png.ToArray();
    }

    private static void DrawLine(SKCanvas canvas, IReadOnlyList<Figure> course)
    {
        var (least, most) = (course.Min(f => f.Value), course.Max(f => f.Value));
        var months = Math.Max(1, MonthsFrom(course[0].Month, course[^1].Month));
        var points = course
            .Select(f => new SKPoint(
                Edge + (Width - 2 * Edge) * (float)MonthsFrom(course[0].Month, f.Month) / months,
                Height - 2 * Edge - (Height - 4 * Edge) * (most == least ? 0.5f : (float)((f.Value - least) / (most - least)))
            ))
            .ToArray();
        using var line = new SKPaint
        {
            Color = Ink,
            StrokeWidth = 2,
            IsStroke = true,
            IsAntialias = true,
            StrokeJoin = SKStrokeJoin.Round,
        };
        using var path = new SKPathBuilder();
        path.AddPoly(points, close: false);
        using var drawn = path.Detach();
        canvas.DrawPath(drawn, line);
        using var dot = new SKPaint { Color = Leaf, IsAntialias = true };
        canvas.DrawCircle(points[^1], 4, dot);
    }

    private static int MonthsFrom(LocalDate first, LocalDate then) => (then.Year - first.Year) * 12 + then.Month - first.Month;
}
