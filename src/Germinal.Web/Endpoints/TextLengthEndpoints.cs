using Germinal.Channels.Letters;
using Germinal.Core.Messages;
using Germinal.Service;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.Programs;
using Germinal.Store;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;

namespace Germinal.Web.Endpoints;

/// <summary>How long a text is as somebody would get it (rule 11.3).</summary>
/// <param name="Encoding">GSM-7 or UCS-2.</param>
/// <param name="Characters">As people count them.</param>
/// <param name="Parts">How many messages it is sent as.</param>
/// <param name="Beyond">The characters that make it UCS-2, each once, the first few; empty for GSM-7.</param>
/// <param name="Words">What it says, filled in for the person; the text as written where nobody is given.</param>
/// <param name="Lack">What keeps it from being filled, or null.</param>
public sealed record TextLengthDto(string Encoding, int Characters, int Parts, string Beyond, string Words, string? Lack);

/// <summary>The length of a text message while it is written.</summary>
public static class TextLengthEndpoints
{
    private const int BeyondShown = 10;

    /// <summary>A text with its merge fields, and whom to fill it in for.</summary>
    public sealed record MeasureBody([AtMost(Lengths.Remark)] string Text, Guid? Person = null);

    public static void Map(IEndpointRouteBuilder app) =>
        app.MapGroup("/api/programs").WithTags("programs").RequireAuthorization(Rights.WritePrograms).MapPost("/text-length", Measure);

    private static async Task<Results<Ok<TextLengthDto>, NotFound>> Measure(
        MeasureBody body,
        GerminalDb db,
        ProgramDesk programs,
        LetterWriter writer,
        CancellationToken stop
    )
    {
        var (words, missing) = (body.Text, new List<string>());
        if (body.Person is { } id)
        {
            var engine = await programs.EngineAsync(db, stop);
            if (!(await FactsReading.LoadAsync(db, [id], stop, engine)).TryGetValue(id, out var person))
            {
                return TypedResults.NotFound();
            }

            var now = await PracticeClock.NowAsync(db, stop);
            words = ((LiquidLetters)engine.Templates).FillText(body.Text, person, engine.Practice, engine.Practice.SenderFor(person), now, missing);
        }

        // As it is sent: its links lead over short addresses of ours.
        words = writer.AsLongAsSent(words);
        var length = TextLength.Of(words);
        return TypedResults.Ok(
            new TextLengthDto(
                length.Alphabet == TextAlphabet.Gsm7 ? "GSM-7" : "UCS-2",
                length.Characters,
                length.Parts,
                string.Concat(words.EnumerateRunes().Where(r => !TextLength.IsGsm(r.Value)).Distinct().Take(BeyondShown)),
                words,
                missing.Count > 0 ? MergeFields.Say(missing.Distinct(StringComparer.Ordinal)) : null
            )
        );
    }
}
