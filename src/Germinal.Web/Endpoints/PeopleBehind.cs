using Germinal.Core.Broadcasts;
using Germinal.Service;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.People;
using Germinal.Service.Tasks;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;
using NodaTime.Text;

namespace Germinal.Web.Endpoints;

/// <summary>The people behind a number.</summary>
/// <param name="Count">How many.</param>
/// <param name="People">The first of them by name.</param>
public sealed record BehindNumber(int Count, IReadOnlyList<PersonRef> People);

/// <summary>The people behind a number are put on a list.</summary>
/// <param name="What">The number's word.</param>
/// <param name="List">The list.</param>
public sealed record BehindListBody([AtMost(Lengths.Name)] string What = "", [AtMost(Lengths.Name)] string List = "");

/// <summary>The people behind a number are to be called by whoever looks after them.</summary>
/// <param name="What">The number's word.</param>
/// <param name="Title">What the calls are about.</param>
/// <param name="On">On which day, <c>YYYY-MM-DD</c>; empty for today.</param>
public sealed record BehindCallsBody([AtMost(Lengths.Name)] string What = "", [AtMost(Lengths.Title)] string Title = "", [AtMost(10)] string On = "");

/// <summary>What was done for many.</summary>
/// <param name="Count">For how many.</param>
public sealed record DoneForMany(int Count);

/// <summary>What one does with the people behind a number, whatever it is a number of.</summary>
public static class PeopleBehind
{
    private const int NamesShown = 300;
    private const int MostOnList = 20_000;

    /// <summary>Who they are: all are counted, the first are named.</summary>
    public static async Task<BehindNumber> NamesAsync(GerminalDb db, IQueryable<PersonRow> who, CancellationToken stop)
    {
        var first = await who.OrderBy(p => p.SortName).ThenBy(p => p.Id).Take(NamesShown).Select(p => p.Id).ToListAsync(stop);
        var names = await db.NamesAsync(first, stop);
        return new BehindNumber(await who.CountAsync(stop), [.. first.Select(p => new PersonRef(p, names[p]))]);
    }

    /// <summary>Puts them on a list.</summary>
    /// <returns>For how many, and what is wrong; null where nothing is.</returns>
    public static async Task<(DoneForMany Done, ValidationProblem? Wrong)> ToListAsync(GerminalDb db, IQueryable<PersonRow> who, string list, Caller caller, CancellationToken stop)
    {
        if (list.Trim().Length == 0)
        {
            return (new DoneForMany(0), Problems.Field("list", Said("Say on which list they are put.")));
        }

        var people = await who.OrderBy(p => p.Id).Take(MostOnList).Select(p => p.Id).ToArrayAsync(stop);
        var (_, count) = await new Acts(db, caller.Name, await PracticeClock.NowAsync(db, stop)).DoAsync(ActKind.Join, list.Trim(), people, stop);
        return (new DoneForMany(count), null);
    }

    /// <summary>Puts calls to them on the sheets of those who look after them.</summary>
    /// <returns>For how many, and what is wrong; null where nothing is.</returns>
    public static async Task<(DoneForMany Done, ValidationProblem? Wrong)> ToCallsAsync(GerminalDb db, IQueryable<PersonRow> who, string title, string day, string source, Caller caller, CancellationToken stop)
    {
        var today = await PracticeClock.TodayAsync(db, stop);
        if (title.Trim().Length == 0)
        {
            return (new DoneForMany(0), Problems.Field("title", Said("Say what the calls are about.")));
        }

        var on = today;
        if (day.Length > 0 && (!LocalDatePattern.Iso.Parse(day).TryGetValue(today, out on) || on < today || on > today + BroadcastCheck.Furthest))
        {
            return (new DoneForMany(0), Problems.Field("on", Said("Give a day from today on, as 2027-03-04.")));
        }

        var practice = await PracticeReading.LoadAsync(db, stop);
        var people = await who.OrderBy(p => p.Id).Take(NamesShown).Select(p => new { p.Id, p.OwnerId }).ToListAsync(stop);
        var desk = new TaskDesk(db, caller.Name, caller.Id, await PracticeClock.NowAsync(db, stop));
        foreach (var person in people)
        {
            desk.Add("call", title.Trim(), on, person.Id, person.OwnerId ?? practice.FallbackSender ?? caller.Id, source: source);
        }

        await db.SaveChangesAsync(stop);
        return (new DoneForMany(people.Count), null);
    }
}
