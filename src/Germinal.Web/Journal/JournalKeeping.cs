using System.Collections.Concurrent;
using System.Reflection;
using Germinal.Service.Clock;
using Germinal.Service.Journal;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Journal;

/// <summary>
/// Writes the journal: a line before a call is answered, and how it ended afterwards. A call that was not done (something was wrong with
/// it, or it came too late) leaves no line; one that broke off leaves a line of which nobody can say how it ended.
/// </summary>
public sealed class JournalKeeping : IEndpointFilter
{
    // What a call made is in its answer; where, is asked of each type once.
    private static readonly ConcurrentDictionary<Type, PropertyInfo?> Ids = new();

    /// <inheritdoc/>
    public async ValueTask<object?> InvokeAsync(EndpointFilterInvocationContext context, EndpointFilterDelegate next)
    {
        var http = context.HttpContext;
        if (JournalWords.Of(http) is not { } word)
        {
            return await next(context);
        }

        // What is told goes on being told when the line to the client drops.
        var stop = CancellationToken.None;
        var db = http.RequestServices.GetRequiredService<GerminalDb>();
        var note = http.RequestServices.GetRequiredService<JournalNote>();
        var line = !word.Afterwards && http.User.Identity?.IsAuthenticated == true ? await BeginAsync(http, word, Caller.Of(http.User), db, stop) : null;
        object? answer;
        try
        {
            answer = await next(context);
        }
        catch (Exception e) when (line is not null && ErrorAnswers.NothingWasDone(e))
        {
            await ForgetAsync(db, line, stop);
            throw;
        }

        var result = answer is INestedHttpResult nested ? nested.Result : answer;
        if (result is IStatusCodeHttpResult { StatusCode: >= 400 })
        {
            if (line is not null)
            {
                await ForgetAsync(db, line, stop);
            }

            return answer;
        }

        if (line is null && note.By is { } by)
        {
            db.PracticeId = by.PracticeId;
            line = await BeginAsync(http, word, by, db, stop);
        }

        if (line is not null)
        {
            await EndAsync(db, line, word, note, (result as IValueHttpResult)?.Value, stop);
        }

        return answer;
    }

    /// <summary>Notes that somebody tried what they may not; the same of one member once a minute.</summary>
    public static Task RefusedAsync(HttpContext http) => RefusedAsync(http, Caller.Of(http.User));

    /// <summary>The same where somebody is not signed in, and says to be a member.</summary>
    public static async Task RefusedAsync(HttpContext http, Caller caller)
    {
        if (JournalWords.Of(http) is not { } word)
        {
            return;
        }

        var stop = CancellationToken.None;
        await using var db = await http.RequestServices.GetRequiredService<IDbContextFactory<GerminalDb>>().CreateDbContextAsync(stop);
        db.PracticeId = caller.PracticeId;
        var now = await PracticeClock.NowAsync(db, stop);
        var lately = now - NodaTime.Duration.FromMinutes(1);
        if (!await db.Journal.AnyAsync(j => j.MemberId == caller.Id && j.Words == word.Words && j.Ended == JournalReading.Refused && j.At > lately, stop))
        {
            var line = Line(http, word, caller, now);
            line.Ended = JournalReading.Refused;
            db.Journal.Add(line);
            await db.SaveChangesAsync(stop);
        }
    }

    private static async Task<JournalRow> BeginAsync(HttpContext http, JournalWord word, Caller caller, GerminalDb db, CancellationToken stop)
    {
        var line = Line(http, word, caller, await PracticeClock.NowAsync(db, stop));
        if (word.Kind is { } kind && Guid.TryParse(http.Request.RouteValues[word.Key]?.ToString(), out var id))
        {
            await SetSubjectAsync(db, line, kind, id, stop);
        }

        line.Id = (
            await db
                .Database.SqlQuery<long>(
                    $"""
                    INSERT INTO journal (practice_id, at, member_id, by, words, about, kind, subject_id, concerns_id, program_id, more, ended, from_address, from_program)
                    VALUES ({line.PracticeId}, {line.At}, {line.MemberId}, {line.By}, {line.Words}, {line.About}, {line.Kind}, {line.SubjectId}, {line.ConcernsId}, {line.ProgramId}, '', {line.Ended}, {line.FromAddress}, {line.FromProgram})
                    RETURNING id AS "Value"
                    """
                )
                .ToListAsync(stop)
        ).Single();
        return line;
    }

    private static JournalRow Line(HttpContext http, JournalWord word, Caller caller, NodaTime.Instant now) =>
        new()
        {
            PracticeId = caller.PracticeId,
            At = now,
            MemberId = caller.Id,
            By = caller.Name,
            Words = word.Words,
            Kind = word.Kind,
            Ended = JournalReading.Begun,
            FromAddress = Client.AddressOf(http),
            FromProgram = Client.ProgramOf(http),
        };

    private static async Task SetSubjectAsync(GerminalDb db, JournalRow line, string kind, Guid id, CancellationToken stop)
    {
        if (await JournalSubjects.FindAsync(db, kind, id, stop) is { } found)
        {
            (line.SubjectId, line.About, line.ConcernsId, line.ProgramId) = (id, found.Name, found.PersonId, found.ProgramId);
        }
    }

    /// <summary>It was done: what it made is named, and what is named otherwise since is called so.</summary>
    private static async Task EndAsync(GerminalDb db, JournalRow line, JournalWord word, JournalNote note, object? value, CancellationToken stop)
    {
        if (word.Kind is { } kind && (word.Key == JournalWords.Made ? IdOf(value) : line.SubjectId) is { } id)
        {
            await SetSubjectAsync(db, line, kind, id, stop);
        }

        // Of a person who was erased meanwhile nothing is written back.
        await db
            .Journal.Where(j => j.Id == line.Id)
            .ExecuteUpdateAsync(
                u =>
                    u.SetProperty(j => j.Ended, JournalReading.Done)
                        .SetProperty(j => j.More, note.More)
                        .SetProperty(j => j.ActId, note.Act)
                        .SetProperty(j => j.About, j => word.Key == JournalWords.Made || j.SubjectId == line.SubjectId ? line.About : j.About)
                        .SetProperty(j => j.ConcernsId, j => word.Key == JournalWords.Made ? line.ConcernsId : j.ConcernsId)
                        .SetProperty(j => j.ProgramId, j => word.Key == JournalWords.Made ? line.ProgramId : j.ProgramId)
                        .SetProperty(j => j.SubjectId, j => word.Key == JournalWords.Made ? line.SubjectId : j.SubjectId),
                stop
            );
    }

    private static Task ForgetAsync(GerminalDb db, JournalRow line, CancellationToken stop) => db.Journal.Where(j => j.Id == line.Id).ExecuteDeleteAsync(stop);

    /// <summary>Where the answers of a type say the id of what they tell of; null where they do not.</summary>
    public static PropertyInfo? IdOf(Type type) =>
        Ids.GetOrAdd(type, static t => t.GetProperty("Id") is { } id && id.PropertyType == typeof(Guid) ? id : null);

    private static Guid? IdOf(object? value) => value is Guid id ? id : value is null ? null : (Guid?)IdOf(value.GetType())?.GetValue(value);
}
