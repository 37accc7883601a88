using System.Collections.Frozen;
using Germinal.Channels.Letters;
using Germinal.Core.Almanac;
using Germinal.Core.Engine;
using Germinal.Core.Programs;
using Germinal.Core.Time;
using Germinal.Service.People;
using Germinal.Service.Segments;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Almanac;

/// <summary>What a page shows out of the rehearsal, worked out once for as long as that stands.</summary>
internal sealed record AlmanacParts(
    int People,
    IReadOnlyList<AlmanacWeek> Weeks,
    IReadOnlyDictionary<LocalDate, IReadOnlyList<AlmanacGroup>> Groups,
    IReadOnlyDictionary<LocalDate, IReadOnlyList<AlmanacStart>> Starts,
    IReadOnlyDictionary<LocalDate, IReadOnlyList<AlmanacCalls>> Calls
);

/// <summary>Reads what comes: the rehearsal of everything that is on, beside appointments, occasions and members' own tasks.</summary>
public static class AlmanacReading
{
    /// <summary>The most days that are read at once.</summary>
    public const int MostDays = 31;

    /// <summary>The most names of one group.</summary>
    public const int MostNames = 300;

    private const int OccasionsNamed = 8;

    /// <summary>Reads the year's weeks and some days.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="foreseen">What comes.</param>
    /// <param name="from">The first day; null, or one that is over, for today.</param>
    /// <param name="days">How many days.</param>
    /// <param name="filter">What of it.</param>
    /// <param name="reader">The member who asks: a segment of another's own has nobody.</param>
    /// <param name="now">Practice time.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task<AlmanacDto> ReadAsync(GerminalDb db, Foreseen foreseen, LocalDate? from, int days, AlmanacFilter filter, Guid reader, Instant now, CancellationToken stop)
    {
        var practice = foreseen.Engine.Practice;
        var today = now.InZone(practice.Zone).Date;
        var first = LocalDate.Max(today, from ?? today);
        var last = first.PlusDays(Math.Clamp(days, 1, MostDays) - 1);
        var whose = await WhoseAsync(db, foreseen, filter, reader, now, stop);
        AlmanacParts Parts() => PartsOf(foreseen, filter, whose, today, first, last);
        var (people, weeks, groups, starts, sheets) = whose is null ? foreseen.Worked.GetOrAdd((filter, first, last), _ => Parts()) : Parts();
        var appointments = await AppointmentsAsync(db, foreseen, filter, whose, first, last, stop);
        var occasions = filter.Kind is null && filter.Program is null ? await OccasionsAsync(db, foreseen, filter, whose, first, last, stop) : [];
        var tasks = filter.Kind is null or "task" && filter.Program is null ? await TasksAsync(db, filter, whose, first, last, stop) : [];
        var all = new List<AlmanacDay>();
        for (var day = first; day <= last; day = day.PlusDays(1))
        {
            all.Add(
                new AlmanacDay(
                    day.Iso(),
                    practice.Calendar.Holidays.Contains(day) ? Said("public holiday") : practice.Calendar.Closed.Contains(day) ? Said("closing day") : null,
                    practice.Calendar.IsWorkingDay(day),
                    groups.GetValueOrDefault(day) ?? [],
                    sheets.GetValueOrDefault(day) ?? [],
                    tasks.GetValueOrDefault(day),
                    [.. appointments[day]],
                    occasions.GetValueOrDefault(day) ?? [],
                    starts.GetValueOrDefault(day) ?? [],
                    [.. practice.Members.Where(m => m.IsAway(day) && (filter.Member is null || m.Id == filter.Member)).Select(m => m.Name)]
                )
            );
        }

        return new AlmanacDto(
            now.Iso(),
            practice.Zone.Id,
            people,
            foreseen.People.Count < AlmanacPeople.Most,
            weeks,
            all,
            foreseen.WhatIf is { } laid ? foreseen.Engine.Shelf.On.First(p => p.Current.ProgramId == laid).Current.Definition.Name : null
        );
    }

    private static AlmanacParts PartsOf(Foreseen foreseen, AlmanacFilter filter, FrozenSet<Guid>? whose, LocalDate today, LocalDate first, LocalDate last)
    {
        var practice = foreseen.Engine.Practice;
        var coming = Of(foreseen.All, foreseen, filter, whose).Where(t => t.Date >= today).ToList();
        var calls = CallsOf(foreseen, filter, whose).ToList();
        var liquid = (LiquidLetters)foreseen.Engine.Templates;
        var groups = coming
            .Where(t => t.Date >= first && t.Date <= last && t.Step is not CallStep)
            .GroupBy(t => t.Date)
            .ToDictionary(g => g.Key, g => GroupsOf(g, liquid));
        var starts = coming
            .Where(t => t.BeganAt is not null)
            .Select(t => (t.Program, Day: t.BeganAt!.Value.InZone(practice.Zone).Date))
            .Where(s => s.Day >= first && s.Day <= last)
            .GroupBy(s => s.Day)
            .ToDictionary(g => g.Key, g => StartsOf(g.Select(s => s.Program)));
        var sheets = calls
            .Where(c => c.Day >= first && c.Day <= last)
            .GroupBy(c => c.Day)
            .ToDictionary(g => g.Key, g => SheetsOf(g, g.Key, foreseen));
        return new AlmanacParts(
            coming.Select(t => t.PersonId).Distinct().Count(),
            WeeksOf(coming.Where(t => t.Step is not CallStep), calls, today, foreseen.WhatIf),
            groups,
            starts,
            sheets
        );
    }

    /// <summary>Who is in a group of a day; or, where a member is given instead of a step, whose calls they are.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="foreseen">What comes.</param>
    /// <param name="date">The day.</param>
    /// <param name="step">The program and step; null for calls.</param>
    /// <param name="filter">What of it; for calls, whose.</param>
    /// <param name="reader">The member who asks.</param>
    /// <param name="now">Practice time.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task<AlmanacNames> NamesAsync(
        GerminalDb db,
        Foreseen foreseen,
        LocalDate date,
        (Guid Program, string Step)? step,
        AlmanacFilter filter,
        Guid reader,
        Instant now,
        CancellationToken stop
    )
    {
        var whose = await WhoseAsync(db, foreseen, filter, reader, now, stop);
        if (step is { } wanted)
        {
            var found = InGroup(foreseen, date, wanted, filter, whose);
            return new AlmanacNames(
                found.Count,
                [
                    .. found
                        .Select(t => new AlmanacName(
                            t.TouchId,
                            new PersonRef(t.PersonId, foreseen.People[t.PersonId].Name),
                            t.At.Iso(),
                            t.Program.Definition.Name,
                            t.Standing == Standing.Held,
                            t.IsMoved,
                            t.Why,
                            false
                        ))
                        .Take(MostNames),
                ]
            );
        }

        var calls = CallsOf(foreseen, filter, whose).Where(c => c.Day == date).OrderBy(c => c.Due).ThenBy(c => c.TouchId).ToList();
        var ids = calls.Select(c => c.Person).Where(p => !foreseen.People.ContainsKey(p)).ToList();
        var others = await db.People.AsNoTracking().Where(p => ids.Contains(p.Id)).ToDictionaryAsync(p => p.Id, p => p.Name, stop);
        return new AlmanacNames(
            calls.Count,
            [
                .. calls
                    .Take(MostNames)
                    .Select(c => new AlmanacName(
                        c.TouchId,
                        new PersonRef(c.Person, foreseen.People.TryGetValue(c.Person, out var facts) ? facts.Name : others.GetValueOrDefault(c.Person, "")),
                        c.Due.AtStartOfDayInZone(foreseen.Engine.Practice.Zone).ToInstant().Iso(),
                        c.Program,
                        false,
                        c.IsMoved,
                        null,
                        c.OverCapacity
                    )),
            ]
        );
    }

    /// <summary>The touches of one step on one day, in order of time.</summary>
    public static IReadOnlyList<ComingTouch> Group(Foreseen foreseen, LocalDate date, (Guid Program, string Step) step) => InGroup(foreseen, date, step, new AlmanacFilter(), null);

    private static List<ComingTouch> InGroup(Foreseen foreseen, LocalDate date, (Guid Program, string Step) step, AlmanacFilter filter, FrozenSet<Guid>? whose) =>
        [
            .. Of(foreseen.ByDay.GetValueOrDefault(date) ?? [], foreseen, filter, whose)
                .Where(t => t.Program.ProgramId == step.Program && t.Step.Id == step.Step)
                .OrderBy(t => t.At)
                .ThenBy(t => t.TouchId),
        ];

    /// <summary>The people a filter leaves; null for all.</summary>
    private static async Task<FrozenSet<Guid>?> WhoseAsync(GerminalDb db, Foreseen foreseen, AlmanacFilter filter, Guid reader, Instant now, CancellationToken stop)
    {
        if (filter.Segment is not { } id)
        {
            return null;
        }

        var rule = await SegmentShelf.RuleAsync(db, id, reader, stop);
        return (await db.InSegment(rule, foreseen.Engine.Practice.RulesAt(now)).Select(p => p.Id).ToListAsync(stop)).ToFrozenSet();
    }

    private static IEnumerable<ComingTouch> Of(IEnumerable<ComingTouch> some, Foreseen foreseen, AlmanacFilter filter, FrozenSet<Guid>? whose) =>
        some.Where(t =>
            (filter.Program is null || t.Program.ProgramId == filter.Program)
            && (filter.Kind is null || t.Step.Kind == filter.Kind)
            && (whose is null || whose.Contains(t.PersonId))
            && (filter.Member is null || CallDays.MemberOf(foreseen.Engine.Practice, foreseen.People[t.PersonId].OwnerId) == filter.Member)
        );

    private static IReadOnlyList<AlmanacGroup> GroupsOf(IEnumerable<ComingTouch> day, LiquidLetters liquid) =>
        [
            .. day.GroupBy(t => (t.Program.ProgramId, t.Step.Id))
                .Select(g =>
                {
                    var newest = g.MaxBy(t => t.Program.Version)!;
                    return new AlmanacGroup(
                        g.Key.ProgramId,
                        newest.Program.Definition.Name,
                        g.Key.Id,
                        newest.Step.Kind,
                        newest.Step.Templates is [var words, ..] ? liquid.Pattern(words.Text) : "",
                        g.Min(t => t.At).Iso(),
                        g.Count(t => t.Standing == Standing.Goes),
                        g.Count(t => t.Standing == Standing.Held),
                        g.Count(t => t.Standing == Standing.WillNot)
                    );
                })
                .OrderBy(g => g.First, StringComparer.Ordinal)
                .ThenBy(g => g.Program, StringComparer.Ordinal)
                .ThenBy(g => g.StepId, StringComparer.Ordinal),
        ];

    private static IReadOnlyList<AlmanacStart> StartsOf(IEnumerable<ProgramVersion> programs) =>
        [
            .. programs
                .GroupBy(p => p.ProgramId)
                .Select(g => new AlmanacStart(g.Key, g.First().Definition.Name, g.Count()))
                .OrderByDescending(s => s.Count)
                .ThenBy(s => s.Program, StringComparer.Ordinal),
        ];

    private static IEnumerable<CallAt> CallsOf(Foreseen foreseen, AlmanacFilter filter, FrozenSet<Guid>? whose) =>
        filter.Kind is not (null or "call")
            ? []
            : foreseen.Calls.Where(c =>
                (filter.Member is null || c.Member == filter.Member)
                && (filter.Program is null || c.ProgramId == filter.Program)
                && (whose is null || whose.Contains(c.Person))
            );

    private static IReadOnlyList<AlmanacCalls> SheetsOf(IEnumerable<CallAt> calls, LocalDate day, Foreseen foreseen) =>
        [
            .. calls
                .GroupBy(c => c.Member)
                .Select(g =>
                {
                    var member = foreseen.Engine.Practice.Members.FirstOrDefault(m => m.Id == g.Key);
                    return new AlmanacCalls(
                        g.Key,
                        member?.Name ?? Said("nobody"),
                        g.Count(),
                        member?.RoomOn(day, foreseen.Engine.Practice.Calendar),
                        g.Count(c => c.OverCapacity)
                    );
                })
                .OrderBy(c => c.Member, StringComparer.Ordinal),
        ];

    private static IReadOnlyList<AlmanacWeek> WeeksOf(IEnumerable<ComingTouch> coming, List<CallAt> calls, LocalDate today, Guid? whatIf)
    {
        var monday = today.Monday();
        var counts = Enumerable.Range(0, AlmanacRoom.Weeks).Select(_ => new int[4]).ToList();
        void Count(LocalDate date, int what, Guid program)
        {
            if (Period.DaysBetween(monday, date) / 7 is >= 0 and < AlmanacRoom.Weeks and var week)
            {
                counts[week][what]++;
                counts[week][3] += program == whatIf ? 1 : 0;
            }
        }

        foreach (var touch in coming.Where(t => t.Standing == Standing.Goes))
        {
            Count(touch.Date, touch.Step is EmailStep or TextStep ? 0 : 2, touch.Program.ProgramId);
        }

        foreach (var call in calls)
        {
            Count(call.Day, 1, call.ProgramId);
        }

        return [.. counts.Select((c, i) => new AlmanacWeek(monday.PlusWeeks(i).Iso(), c[0], c[1], c[2], c[3]))];
    }

    private static async Task<ILookup<LocalDate, AlmanacAppointment>> AppointmentsAsync(
        GerminalDb db,
        Foreseen foreseen,
        AlmanacFilter filter,
        FrozenSet<Guid>? whose,
        LocalDate first,
        LocalDate last,
        CancellationToken stop
    )
    {
        var practice = foreseen.Engine.Practice;
        if (filter.Kind is not null || filter.Program is not null)
        {
            return Array.Empty<AlmanacAppointment>().ToLookup(_ => first);
        }

        var (from, until) = (first.AtStartOfDayInZone(practice.Zone).ToInstant(), last.PlusDays(1).AtStartOfDayInZone(practice.Zone).ToInstant());
        var rows = await db
            .Appointments.AsNoTracking()
            .Where(a => a.CancelledAt == null && a.At >= from && a.At < until)
            .Join(db.People, a => a.PersonId, p => p.Id, (a, p) => new { Appointment = a, Person = p })
            .OrderBy(x => x.Appointment.At)
            .ThenBy(x => x.Appointment.Id)
            .ToListAsync(stop);
        return rows.Where(x =>
                (whose is null || whose.Contains(x.Appointment.PersonId))
                && (filter.Member is null || (x.Appointment.WithId ?? CallDays.MemberOf(practice, x.Person.OwnerId)) == filter.Member)
            )
            .ToLookup(
                x => x.Appointment.At.InZone(practice.Zone).Date,
                x => new AlmanacAppointment(
                    x.Appointment.Id,
                    new PersonRef(x.Person.Id, x.Person.Name),
                    x.Appointment.At.Iso(),
                    x.Appointment.Type,
                    practice.Members.FirstOrDefault(m => m.Id == x.Appointment.WithId)?.Name
                )
            );
    }

    private static async Task<Dictionary<LocalDate, IReadOnlyList<AlmanacOccasion>>> OccasionsAsync(
        GerminalDb db,
        Foreseen foreseen,
        AlmanacFilter filter,
        FrozenSet<Guid>? whose,
        LocalDate first,
        LocalDate last,
        CancellationToken stop
    )
    {
        var practice = foreseen.Engine.Practice;

        // By month and day in the database, 29 February with its neighbours; the practice's own way with that day is the core's (rule 4.1).
        var days = Enumerable.Range(-1, Period.DaysBetween(first, last) + 3).Select(first.PlusDays).SelectMany(d => new[] { (d.Month * 100) + d.Day, 229 }).Distinct().ToArray();
        var rows = await db
            .KeyDates.AsNoTracking()
            .Where(k => days.Contains((k.Month * 100) + k.Day))
            .Join(
                db.People.Where(p => !p.Archived && !p.Died),
                k => k.PersonId,
                p => p.Id,
                (k, p) => new { Key = k, Person = p }
            )
            .ToListAsync(stop);
        return rows.Where(r => (whose is null || whose.Contains(r.Person.Id)) && (filter.Member is null || CallDays.MemberOf(practice, r.Person.OwnerId) == filter.Member))
            .SelectMany(r =>
            {
                var date = new YearlyDate(r.Key.Month, r.Key.Day, r.Key.Year);
                return Enumerable
                    .Range(first.Year, last.Year - first.Year + 1)
                    .Where(y => r.Key.Yearly ? y >= (r.Key.Year ?? y) : y == r.Key.Year)
                    .Select(y => (Day: date.In(y, practice.LeapDay), Years: r.Key.Yearly ? date.YearsIn(y) : null, Row: r));
            })
            .Where(o => o.Day >= first && o.Day <= last)
            .GroupBy(o => o.Day)
            .ToDictionary(
                g => g.Key,
                g =>
                    (IReadOnlyList<AlmanacOccasion>)
                        [
                            .. g.GroupBy(o => o.Row.Key.Name, StringComparer.OrdinalIgnoreCase)
                                .OrderBy(n => n.Key, StringComparer.OrdinalIgnoreCase)
                                .Select(n => new AlmanacOccasion(
                                    n.Key,
                                    n.Count(),
                                    [
                                        .. n.OrderBy(o => o.Row.Person.SortName, StringComparer.Ordinal)
                                            .Take(OccasionsNamed)
                                            .Select(o => new OccasionOf(new PersonRef(o.Row.Person.Id, o.Row.Person.Name), o.Years is > 0 ? o.Years : null)),
                                    ]
                                )),
                        ]
            );
    }

    private static async Task<Dictionary<LocalDate, int>> TasksAsync(GerminalDb db, AlmanacFilter filter, FrozenSet<Guid>? whose, LocalDate first, LocalDate last, CancellationToken stop)
    {
        var tasks = await db
            .Tasks.AsNoTracking()
            .Where(t => t.DoneAt == null && t.Due >= first && t.Due <= last && (filter.Member == null || t.MemberId == filter.Member))
            .Select(t => new { t.Due, t.PersonId })
            .ToListAsync(stop);
        return tasks.Where(t => whose is null || (t.PersonId is { } about && whose.Contains(about))).GroupBy(t => t.Due).ToDictionary(g => g.Key, g => g.Count());
    }
}
