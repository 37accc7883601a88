using PdfSharp.Fonts;

namespace Germinal.Channels.Post;

/// <summary>The one font of printed things ships with the application; no other is looked for.</summary>
internal sealed class OwnFont : IFontResolver
{
    /// <summary>Its name.</summary>
    public const string Family = "Literata";

    private static readonly Lock Preparing = new();
    private static bool prepared;

    /// <summary>Makes it known; as often as one likes.</summary>
    public static void Prepare()
    {
        lock (Preparing)
        {
            if (!prepared)
            {
                GlobalFontSettings.FontResolver = new OwnFont();
                prepared = true;
            }
        }
    }

    /// <inheritdoc/>
    public byte[] GetFont(string faceName)
    {
        using var stream = typeof(OwnFont).Assembly.GetManifestResourceStream("fonts/Literata")!;
        using var memory = new MemoryStream();
        stream.CopyTo(memory);
        return memory.ToArray();
    }

    /// <inheritdoc/>
    public FontResolverInfo ResolveTypeface(string familyName, bool isBold, bool isItalic) => new(Family);
}
