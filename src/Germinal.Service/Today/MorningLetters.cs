using System.Text;
using Germinal.Channels;
using Germinal.Channels.Post;
using Germinal.Core.Almanac;
using Germinal.Core.Engine;
using Germinal.Core.Practices;
using Germinal.Core.Time;
using Germinal.Core.Words;
using Germinal.Service.Engine;
using Germinal.Service.Mails;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;
using NodaTime.Text;

namespace Germinal.Service.Today;

/// <summary>
/// The morning letter: a member's day sheet as plain mail, on the practice's working days at the hour the member chose, unless they are away. Each goes
/// once, however many workers look.
/// </summary>
public sealed class MorningLetters(IDbContextFactory<GerminalDb> databases, Engines engines, PublicLinks links)
{
    /// <summary>So many runs that ended are named; the others are counted.</summary>
    private const int MostEnded = 40;

    private static readonly LocalTimePattern Hours = LocalTimePattern.CreateWithInvariantCulture("HH:mm");

    /// <summary>An hour as it is kept, <c>07:30</c>; null for what is none.</summary>
    public static LocalTime? Hour(string text) => Hours.Parse(text).TryGetValue(default, out var hour) ? hour : null;

    /// <summary>The next moment of an hour after another moment, on a working day of the practice; null where 366 days hold none.</summary>
    public static Instant? NextAfter(Instant now, LocalTime hour, Practice practice)
    {
        var today = now.InZone(practice.Zone).Date;
        var first = practice.Calendar.IsWorkingDay(today) && LocalClock.At(today + hour, practice.Zone) > now ? today : practice.Calendar.WorkingDayAfter(today, 1);
        return first is { } day ? LocalClock.At(day + hour, practice.Zone) : null;
    }

    /// <summary>A member chooses the hour, or none; the caller saves.</summary>
    /// <param name="member">The member.</param>
    /// <param name="hour">The hour; null for no letter.</param>
    /// <param name="practice">The practice.</param>
    /// <param name="now">Practice time.</param>
    public static void Choose(MemberUser member, LocalTime? hour, Practice practice, Instant now) =>
        (member.MorningAt, member.MorningDue) = hour is { } at ? (Hours.Format(at), NextAfter(now, at, practice)) : ("", null);

    /// <summary>Writes the letters that are due in a practice.</summary>
    /// <returns>False where none was.</returns>
    public async Task<bool> WriteDueAsync(Guid practiceId, Instant now, CancellationToken stop)
    {
        await using var db = await databases.CreateDbContextAsync(stop);
        db.PracticeId = practiceId;
        var due = await db.Users.AsNoTracking().Where(u => u.PracticeId == practiceId && u.MorningDue <= now).OrderBy(u => u.Id).ToListAsync(stop);
        if (due.Count == 0)
        {
            return false;
        }

        var engine = (await engines.OfAsync(db, stop)).Engine;
        var today = now.InZone(engine.Practice.Zone).Date;
        var away = await db.Absences.Where(a => a.From <= today && a.Until >= today).Select(a => a.MemberId).ToListAsync(stop);
        foreach (var member in due)
        {
            var next = Hour(member.MorningAt) is { } hour ? NextAfter(now, hour, engine.Practice) : null;
            await using var transaction = await db.Database.BeginTransactionAsync(stop);
            if (await db.Users.Where(u => u.Id == member.Id && u.MorningDue == member.MorningDue).ExecuteUpdateAsync(u => u.SetProperty(m => m.MorningDue, next), stop) == 1)
            {
                if (member.BlockedAt is null && !away.Contains(member.Id))
                {
                    // Read as they would read it: who sees only some of the people is told of no others.
                    await using var theirs = await databases.CreateDbContextAsync(stop);
                    theirs.PracticeId = practiceId;
                    theirs.LimitTo(await Sight.OfAsync(db, member.Id, stop));
                    using var spoken = (Tongue.Named(member.Tongue) ?? engine.Practice.Tongue).Speak();
                    db.OwnMails.Add(await WriteAsync(theirs, engine, member, now, stop));
                    await db.SaveChangesAsync(stop);
                }

                await transaction.CommitAsync(stop);
            }
        }

        return true;
    }

    private async Task<OwnMailRow> WriteAsync(GerminalDb db, TouchEngine engine, MemberUser member, Instant now, CancellationToken stop)
    {
        var reader = new Reader(member.Id, member.Role == "principal", OnlyTheirs: true, CallDays.StandsInFor(engine.Practice, member.Id, now.InZone(engine.Practice.Zone).Date));
        var day = await DaySheet.ReadAsync(db, engine, reader, now, stop);
        var title = DayInWords.Title(day, null);
        return new OwnMailRow
        {
            Id = Guid.CreateVersion7(),
            PracticeId = member.PracticeId,
            Kind = OwnMailKinds.Morning,
            MemberId = member.Id,
            ToName = member.Name,
            ToAddress = member.Email!,
            Subject = title,
            Text = InPlainWords(title, [.. DayInWords.Stretches(day), await EndedAsync(db, engine, reader, now, stop)], links.BaseUrl),
            CreatedAt = now,
        };
    }

    /// <summary>What programs ended for whom since yesterday's letter.</summary>
    private static async Task<DayPrintStretch> EndedAsync(GerminalDb db, TouchEngine engine, Reader reader, Instant now, CancellationToken stop)
    {
        var today = now.InZone(engine.Practice.Zone).Date;
        var since = today.PlusDays(-1);
        while (!engine.Practice.Calendar.IsWorkingDay(since) && since > today.PlusDays(-14))
        {
            since = since.PlusDays(-1);
        }

        var from = since.AtStartOfDayInZone(engine.Practice.Zone).ToInstant();
        var theirs = reader.Theirs(db);
        var ended = db.Runs.AsNoTracking().Where(r => r.EndedAt >= from && r.EndedAt <= now && theirs.Contains(r.PersonId));
        var inAll = await ended.CountAsync(stop);
        var rows = await ended
            .OrderByDescending(r => r.EndedAt)
            .ThenBy(r => r.Id)
            .Take(MostEnded)
            .Join(db.People, r => r.PersonId, p => p.Id, (r, p) => new { r.ProgramId, r.EndedAt, r.StopReason, p.Name })
            .ToListAsync(stop);
        return new DayPrintStretch(
            inAll > rows.Count ? Say($"Programs that ended: {rows.Count} of {inAll}") : Said("Programs that ended"),
            [
                .. rows.Select(r => new DayPrintLine(
                    Phrases.Day(r.EndedAt!.Value.InZone(engine.Practice.Zone).Date),
                    r.Name,
                    r.StopReason is { } why ? Say($"“{engine.Shelf.NameOf(r.ProgramId)}” stopped: {Why.Reason(why)}") : Say($"“{engine.Shelf.NameOf(r.ProgramId)}” finished"),
                    "",
                    false
                )),
            ],
            Said("None ended.")
        );
    }

    private static string InPlainWords(string title, IReadOnlyList<DayPrintStretch> stretches, string address)
    {
        var text = new StringBuilder().AppendLine(title);
        foreach (var stretch in stretches)
        {
            text.AppendLine().AppendLine(stretch.Title.ToUpperInvariant());
            if (stretch.Lines.Count == 0)
            {
                text.Append("  ").AppendLine(stretch.Empty);
            }

            foreach (var line in stretch.Lines)
            {
                PlainMail.Wrap(text, "* ", $"{line.When}  {line.Head}");
                PlainMail.Wrap(text, "  ", line.Words);
                PlainMail.Wrap(text, "  ", line.Beside);
            }
        }

        return text.AppendLine().Append(Say($"The day sheet: {address}/")).AppendLine().ToString();
    }
}
