using System.Text.Json;
using Germinal.Channels.Letters;
using Germinal.Channels.Post;
using Germinal.Core.Programs;
using Germinal.Core.Time;
using Germinal.Core.Words;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Store;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Endpoints;

/// <summary>A version a program was switched on with.</summary>
public sealed record VersionLine(int Version, string At, string By);

/// <summary>What a program was when it was switched on, and the booklet of what it is now.</summary>
public static class ProgramVersionEndpoints
{
    public static void Map(IEndpointRouteBuilder app)
    {
        var programs = app.MapGroup("/api/programs/{id:guid}").WithTags("programs").RequireAuthorization(Rights.WritePrograms);
        programs.MapGet(
            "/versions",
            async Task<Results<Ok<IReadOnlyList<VersionLine>>, NotFound>> (Guid id, GerminalDb db, CancellationToken stop) =>
                !await db.Programs.AnyAsync(p => p.Id == id, stop)
                    ? TypedResults.NotFound()
                    : TypedResults.Ok<IReadOnlyList<VersionLine>>(
                        [
                            .. (await db.ProgramVersions.AsNoTracking().Where(v => v.ProgramId == id).OrderByDescending(v => v.Version).ToListAsync(stop)).Select(
                                v => new VersionLine(v.Version, v.PublishedAt.Iso(), v.By)
                            ),
                        ]
                    )
        );
        programs.MapGet(
            "/versions/{version:int}",
            async Task<Results<Ok<JsonElement>, NotFound>> (Guid id, int version, GerminalDb db, CancellationToken stop) =>
                await db.ProgramVersions.AsNoTracking().FirstOrDefaultAsync(v => v.ProgramId == id && v.Version == version, stop) is { } row
                    ? TypedResults.Ok(JsonSerializer.Deserialize<JsonElement>(row.Definition))
                    : TypedResults.NotFound()
        );
        programs.MapGet("/booklet.pdf", Read).ExcludeFromDescription();
    }

    /// <summary>The draft's messages as a PDF for whoever approves them.</summary>
    private static async Task<IResult> Read(Guid id, bool? letter, GerminalDb db, CancellationToken stop)
    {
        if (await ProgramEndpoints.DraftAsync(db, id, stop) is not { } draft)
        {
            return Results.NotFound();
        }

        var practice = await PracticeReading.LoadAsync(db, stop);
        var voice = draft.Program.Voice ?? practice.Voice;
        var days = ProgramEndpoints.LineOf(draft.Program).ToDictionary(m => m.StepId, m => m.Day, StringComparer.Ordinal);
        var today = (await PracticeClock.NowAsync(db, stop)).InZone(practice.Zone).Date;
        string[] about =
        [
            .. new[] { draft.Program.Description }.OfType<string>(),
            $"{practice.Name}, {practice.PostalAddress.ReplaceLineEndings(", ")}",
            Say($"As it is written on {Tongue.Spoken.Dates.Date.Format(today)}: draft {draft.Row.DraftNumber}."),
            Said("Words in ‹angles› are filled in for each reader."),
        ];
        var messages = draft.Program.AllSteps.Select(step => MessageOf(step, days.GetValueOrDefault(step.Id), voice)).OfType<BookletMessage>().ToList();
        return Results.File(Booklet.Pdf(draft.Row.Name, about, messages, letter == true), "application/pdf", $"{draft.Row.Name}.pdf");
    }

    private static BookletMessage? MessageOf(Step step, int day, Voice voice)
    {
        var words = step switch
        {
            EmailStep => Said("an email"),
            TextStep => Said("a text"),
            NoteStep => Said("a note by post"),
            CallStep => Said("what to say on a call"),
            _ => null,
        };
        if (words is null)
        {
            return null;
        }

        var when = FormattableString.Invariant($"Day {day}, {words}");
        return step is EmailStep email
            ? new BookletMessage(
                when,
                LetterOutline.OfText(email.Subject, voice),
                LetterOutline.OfBody(email.Body, voice),
                email.Attachments.Count > 0 ? Say($"With it: {string.Join(", ", email.Attachments)}") : null
            )
            : new BookletMessage(when, null, LetterOutline.OfText(step.Templates[0].Text, voice), null);
    }
}
