using System.Globalization;
using System.Text;
using Germinal.Core.Time;
using Germinal.Core.Words;
using Germinal.Service.Engine;
using Germinal.Service.Mails;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Numbers;

/// <summary>The practice's numbers of a month as plain mail, on the first working day after it, to whoever wants it. Each goes once, however many workers look.</summary>
public sealed class MonthlyLetters(IDbContextFactory<GerminalDb> databases, Channels.PublicLinks links)
{
    private static readonly LocalTime Hour = new(7, 0);

    /// <summary>The next moment such a letter goes after another: the first working day of a month, at seven.</summary>
    public static Instant NextAfter(Instant now, Core.Practices.Practice practice)
    {
        var month = now.InZone(practice.Zone).Date.ToYearMonth();
        Instant Of(YearMonth m)
        {
            var first = m.OnDayOfMonth(1);
            var day = practice.Calendar.IsWorkingDay(first) ? first : practice.Calendar.WorkingDayAfter(first, 1) ?? first;
            return LocalClock.At(day + Hour, practice.Zone);
        }

        return Of(month) > now ? Of(month) : Of(month.PlusMonths(1));
    }

    /// <summary>Writes the letters that are due in a practice.</summary>
    /// <returns>False where none was.</returns>
    public async Task<bool> WriteDueAsync(Guid practiceId, Instant now, CancellationToken stop)
    {
        await using var db = await databases.CreateDbContextAsync(stop);
        db.PracticeId = practiceId;
        var due = await db.Users.AsNoTracking().Where(u => u.PracticeId == practiceId && u.MonthlyDue <= now).OrderBy(u => u.Id).ToListAsync(stop);
        if (due.Count == 0)
        {
            return false;
        }

        var practice = await PracticeReading.LoadAsync(db, stop);
        var next = NextAfter(now, practice);
        foreach (var member in due)
        {
            await using var transaction = await db.Database.BeginTransactionAsync(stop);
            if (await db.Users.Where(u => u.Id == member.Id && u.MonthlyDue == member.MonthlyDue).ExecuteUpdateAsync(u => u.SetProperty(m => m.MonthlyDue, next), stop) == 1)
            {
                if (member.BlockedAt is null)
                {
                    using var spoken = (Tongue.Named(member.Tongue) ?? practice.Tongue).Speak();
                    db.OwnMails.Add(await WriteAsync(db, practice.Zone, member, now, stop));
                    await db.SaveChangesAsync(stop);
                }

                await transaction.CommitAsync(stop);
            }
        }

        return true;
    }

    private async Task<OwnMailRow> WriteAsync(GerminalDb db, DateTimeZone zone, MemberUser member, Instant now, CancellationToken stop)
    {
        var month = PracticeNumbers.LastWhole(now.InZone(zone).Date);
        var numbers = await (await PracticeNumbers.ForAsync(db, null, stop)).ReadAsync(month, now, stop);
        var title = Say($"Results of {Tongue.Spoken.Dates.Month.Format(month.OnDayOfMonth(1))}");
        return new OwnMailRow
        {
            Id = Guid.CreateVersion7(),
            PracticeId = member.PracticeId,
            Kind = OwnMailKinds.Monthly,
            MemberId = member.Id,
            ToName = member.Name,
            ToAddress = member.Email!,
            Subject = title,
            Text = InPlainWords(title, numbers, $"{links.BaseUrl}/results?month={numbers.Month}"),
            CreatedAt = now,
        };
    }

    private static string InPlainWords(string title, PracticeNumbersDto numbers, string address)
    {
        var text = new StringBuilder().AppendLine(title).AppendLine();
        if (numbers.Sentences.Count == 0)
        {
            PlainMail.Wrap(text, "", NothingChanged(numbers.Looked));
        }

        foreach (var sentence in numbers.Sentences)
        {
            PlainMail.Wrap(text, "* ", sentence.Text);
        }

        foreach (var table in numbers.Tables)
        {
            text.AppendLine().AppendLine(table.Title.ToUpperInvariant());
            foreach (var row in table.Rows)
            {
                PlainMail.Wrap(text, "  ", $"{row.Title}: {Cell(row, numbers.Currency)}");
            }
        }

        return text.AppendLine().AppendLine(Say($"All of it: {address}")).ToString();
    }

    /// <summary>What is said where nothing is different by more than noise.</summary>
    public static string NothingChanged(int looked) =>
        looked == 0
            ? Said("Nothing can be said yet: a month is compared with those before it once there are six of them.")
            : Say($"Nothing was different from the months before by more than noise; {looked} numbers were looked at.");

    private static string Cell(NumbersRow row, string currency)
    {
        static string Write(decimal number) => number.ToString("#,0.##", CultureInfo.InvariantCulture);
        var value = row.Values[PracticeNumbers.Before];
        return row switch
        {
            { Kind: "share", Line: { } line } => line.Of == 0 ? "none" : Say($"{Write(line.Number)} of {Write(line.Of)} ({Write(Math.Round(100m * line.Number / line.Of, 1))} %; usual {Write(Math.Round(100 * row.Usual ?? 0, 1))} %)"),
            { Kind: "money" } => Say($"{Write(value ?? 0)} {currency} (usual {Write(row.Usual ?? 0)})"),
            _ => value is { } number ? $"{Write(number)}{(row.Usual is { } usual ? Say($" (usual {Write(usual)})") : "")}" : Said("nothing to say"),
        };
    }
}
