using Germinal.Channels.Letters;
using Germinal.Channels.Post;
using Germinal.Core.Engine;
using Germinal.Core.Programs;
using Germinal.Core.Time;
using Germinal.Service;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.People;
using Germinal.Service.Programs;
using Germinal.Store;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Endpoints;

/// <summary>A note on the day sheet.</summary>
public sealed record NoteDto(Guid TouchId, PersonRef Person, string Program, string Due, string Text, string? Address, bool Printed);

/// <summary>Notes to be written or posted: the run of them as a PDF, and noting what was printed.</summary>
public static class NoteEndpoints
{
    private const int MostAtOnce = 200;

    public sealed record PrintedBody([AtMost(40)] IReadOnlyList<Guid> Touches);

    public static void Map(IEndpointRouteBuilder app)
    {
        var notes = app.MapGroup("/api/notes").WithTags("notes").RequireAuthorization(Rights.Work);
        notes.MapGet(
            "",
            async (GerminalDb db, ProgramDesk programs, CancellationToken stop) => (await ReadAsync(db, programs, stop)).Select(n => n.Dto).ToList()
        );
        notes.MapGet("/print.pdf", Print).ExcludeFromDescription();
        notes.MapPost(
            "/printed",
            async Task<Ok<PeopleEndpoints.Counted>> (PrintedBody body, GerminalDb db, CancellationToken stop) =>
            {
                var now = await PracticeClock.NowAsync(db, stop);
                var ids = body.Touches.ToArray();
                return TypedResults.Ok(
                    new PeopleEndpoints.Counted(
                        await db
                            .Touches.Where(t => ids.Contains(t.Id) && t.Kind == "note" && t.Status == TouchStatus.Open)
                            .ExecuteUpdateAsync(u => u.SetProperty(t => t.PrintedAt, now), stop)
                    )
                );
            }
        );
    }

    private static async Task<List<(NoteDto Dto, PrintedNote Note)>> ReadAsync(GerminalDb db, ProgramDesk programs, CancellationToken stop)
    {
        var engine = await programs.EngineAsync(db, stop);
        var now = await PracticeClock.NowAsync(db, stop);
        var touches = await db
            .Touches.AsNoTracking()
            .Where(t => t.Kind == "note" && t.Status == TouchStatus.Open)
            .OrderBy(t => t.Due)
            .ThenBy(t => t.Id)
            .Take(MostAtOnce)
            .ToListAsync(stop);
        var facts = await FactsReading.LoadAsync(db, [.. touches.Select(t => t.PersonId).Distinct()], stop, engine);
        var liquid = (LiquidLetters)engine.Templates;
        return
        [
            .. touches.Select(t =>
            {
                var person = facts[t.PersonId];
                var definition = engine.Shelf.Find(t.ProgramId, t.Version).Definition;
                var practice = engine.Practice.AsFor(definition);
                var step = (NoteStep)definition.StepOf(t.StepId)!;
                var to = Readers.Find(practice, person, step, t.ReaderId) ?? person;
                var text = liquid.FillText(step.Body, to, practice, practice.SenderFor(person, step), now, []);
                return (
                    new NoteDto(t.Id, new PersonRef(person.Id, person.Name), definition.Name, t.Due.Iso(), text, to.Reader.Address, t.PrintedAt is not null),
                    new PrintedNote(text, to.Reader.Name, to.Reader.Address ?? "")
                );
            }),
        ];
    }

    private static async Task<IResult> Print(GerminalDb db, ProgramDesk programs, bool? all, CancellationToken stop)
    {
        var notes = (await ReadAsync(db, programs, stop)).Where(n => all == true || !n.Dto.Printed).ToList();
        if (notes.Count == 0)
        {
            return Results.Problem(Said("No note is waiting to be printed."), statusCode: StatusCodes.Status404NotFound, title: Said("Nothing to print"));
        }

        var region = await db.Practices.Where(p => p.Id == db.PracticeId).Select(p => p.Settings).SingleAsync(stop);
        return Results.File(PrintRun.Pdf([.. notes.Select(n => n.Note)], region.PhoneRegion == "US"), "application/pdf", "notes.pdf");
    }
}
