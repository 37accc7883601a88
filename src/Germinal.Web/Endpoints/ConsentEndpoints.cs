using System.Text;
using Germinal.Core.Contact;
using Germinal.Core.Time;
using Germinal.Service.Clock;
using Germinal.Service.Import;
using Germinal.Service.People;
using Germinal.Store;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Endpoints;

/// <summary>A row of a consent file that is left out, and why.</summary>
public sealed record ConsentProblemDto(int Line, string Text);

/// <summary>What a consent file brings, or brought.</summary>
public sealed record ConsentFileDto(int Rows, int New, int Known, bool Written, int ProblemsInAll, IReadOnlyList<ConsentProblemDto> Problems);

/// <summary>How many stand how for one subject: commercial messages of any topic, a topic by its name, or transactional ones.</summary>
public sealed record SubjectDto(string Subject, int May, int Unsaid, int No, int NoWay, int NotAtAll);

/// <summary>A channel with its policy (strict, open), by subject.</summary>
public sealed record ChannelGlanceDto(string Channel, string Policy, IReadOnlyList<SubjectDto> Subjects);

/// <summary>Somebody who is lost for commercial messages when a basis (inquiry, client) runs out.</summary>
public sealed record LostDto(PersonRef Person, string Channel, string Until, string Basis);

/// <summary>What may be sent to whom, and who is lost within thirty days.</summary>
public sealed record GlanceDto(int People, IReadOnlyList<ChannelGlanceDto> Channels, IReadOnlyList<LostDto> Lost, int LostInAll);

/// <summary>Consent of everybody at a glance; the ledger as a file: out for a person, in for many.</summary>
public static class ConsentEndpoints
{
    private const int MostMegabytes = 20;
    private const int ProblemsShown = 300;

    public static void Map(IEndpointRouteBuilder app)
    {
        app.MapPost("/api/consent-files", Take)
            .WithTags("consent")
            .RequireAuthorization(Rights.BringConsentIn)
            .WithMetadata(new Microsoft.AspNetCore.Mvc.RequestSizeLimitAttribute(Uploads.RequestBytes(MostMegabytes)));
        app.MapGet("/api/consent", Glance).WithTags("consent").RequireAuthorization(Rights.Work);
        app.MapGet("/api/consent/names", Names).WithTags("consent").RequireAuthorization(Rights.Work);
        app.MapGet("/api/people/{id:guid}/consent.csv", Give).ExcludeFromDescription().RequireAuthorization(Rights.ExportPeople);
    }

    private static async Task<GlanceDto> Glance(GerminalDb db, CancellationToken stop)
    {
        var numbers = await ConsentGlance.NumbersAsync(db, await PracticeClock.NowAsync(db, stop), stop);
        return new GlanceDto(
            numbers.People,
            [
                .. numbers.Channels.Select(c => new ChannelGlanceDto(
                    ContactWords.Of(c.Channel),
                    ContactWords.Of(c.Policy),
                    [
                        .. c.Subjects.Select(s =>
                        {
                            int Of(Reachable stands) => s.Counts.GetValueOrDefault(stands);
                            return new SubjectDto(s.Subject, Of(Reachable.May), Of(Reachable.Unsaid), Of(Reachable.No), Of(Reachable.NoWay), Of(Reachable.NotAtAll));
                        }),
                    ]
                )),
            ],
            [.. numbers.Lost.Select(l => new LostDto(l.Person, ContactWords.Of(l.Channel), l.Until.Iso(), ContactWords.Of(l.Basis)))],
            numbers.LostInAll
        );
    }

    /// <summary>Who stands so for a channel and a subject, by name: may, unsaid, no, no-way or not-at-all.</summary>
    private static async Task<Results<Ok<IReadOnlyList<PersonRef>>, ValidationProblem>> Names(string channel, string subject, string stands, GerminalDb db, CancellationToken stop) =>
        ContactWords.ChannelOf(channel) is not { } on ? Problems.Field("channel", Say($"“{channel}” is no channel; email, text, call and post are."))
        : !Enum.TryParse<Reachable>(stands.Replace("-", "", StringComparison.Ordinal), ignoreCase: true, out var how) || !Enum.IsDefined(how)
            ? Problems.Field("stands", Say($"“{stands}” is none of may, unsaid, no, no-way, not-at-all."))
        : TypedResults.Ok(await ConsentGlance.NamesAsync(db, on, subject, how, await PracticeClock.NowAsync(db, stop), stop));

    /// <summary>Says what a file brings; with <paramref name="write"/> it is added to the ledger as well.</summary>
    private static async Task<Results<Ok<ConsentFileDto>, ValidationProblem>> Take(
        IFormFile file,
        bool? write,
        GerminalDb db,
        Caller caller,
        CancellationToken stop
    )
    {
        var (bytes, problem) = await Uploads.ReadAsync(file, MostMegabytes, stop);
        if (problem is not null)
        {
            return problem;
        }

        try
        {
            var read = await ConsentFile.ReadAsync(db, bytes, caller.Name, stop);
            if (write == true)
            {
                await read.AddAsync(stop);
            }

            var report = read.Report;
            return TypedResults.Ok(
                new ConsentFileDto(
                    report.Rows,
                    report.New,
                    report.Known,
                    write == true,
                    report.Problems.Count,
                    [.. report.Problems.Take(ProblemsShown).Select(p => new ConsentProblemDto(p.Line, p.Text))]
                )
            );
        }
        catch (UnreadableFileException e)
        {
            return Problems.Field("file", e.Message);
        }
    }

    private static async Task<IResult> Give(Guid id, GerminalDb db, CancellationToken stop)
    {
        if (await db.People.AsNoTracking().FirstOrDefaultAsync(p => p.Id == id, stop) is not { } person)
        {
            return Results.NotFound();
        }

        await using var words = new StringWriter();
        await ConsentFile.WriteAsync(db, person, words, stop);
        return Results.File(
            Encoding.UTF8.GetBytes(words.ToString()),
            "text/csv; charset=utf-8",
            $"consent-{PersonNames.Fold(person.Name).Replace(' ', '-')}.csv"
        );
    }
}
