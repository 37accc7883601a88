using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Journal;

/// <summary>Which lines of the journal are wanted.</summary>
/// <param name="Member">Of one member; null for all.</param>
/// <param name="Person">What concerns one person; null for all.</param>
/// <param name="Program">What concerns one program; null for all.</param>
/// <param name="Find">Words that stand in a line, each of them; empty for all.</param>
/// <param name="From">The first day, or null.</param>
/// <param name="Until">The last day, or null.</param>
public sealed record JournalFilter(Guid? Member = null, Guid? Person = null, Guid? Program = null, string? Find = null, LocalDate? From = null, LocalDate? Until = null);

/// <summary>Reads the journal, newest first.</summary>
public static class JournalReading
{
    /// <summary>How a line ends of which nobody can say whether it was done.</summary>
    public const string Begun = "begun";

    /// <summary>It was done.</summary>
    public const string Done = "done";

    /// <summary>Whoever tried may not.</summary>
    public const string Refused = "refused";

    /// <summary>The lines that are wanted, in no order.</summary>
    public static IQueryable<JournalRow> Of(GerminalDb db, JournalFilter filter, DateTimeZone zone)
    {
        var lines = db.Journal.AsNoTracking();
        if (filter.Member is { } member)
        {
            lines = lines.Where(l => l.MemberId == member);
        }

        if (filter.Person is { } person)
        {
            // What was done to many at once concerns each of them.
            lines = lines.Where(l => l.ConcernsId == person || (l.ActId != null && db.Events.Any(e => e.ActId == l.ActId && e.PersonId == person)));
        }

        if (filter.Program is { } program)
        {
            lines = lines.Where(l => l.ProgramId == program);
        }

        if (filter.From is { } from)
        {
            var at = from.AtStartOfDayInZone(zone).ToInstant();
            lines = lines.Where(l => l.At >= at);
        }

        if (filter.Until is { } until && until < LocalDate.MaxIsoValue)
        {
            var at = until.PlusDays(1).AtStartOfDayInZone(zone).ToInstant();
            lines = lines.Where(l => l.At < at);
        }

        foreach (var word in (filter.Find ?? "").Split(' ', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries))
        {
            var pattern = $"%{word.Replace("\\", "\\\\", StringComparison.Ordinal).Replace("%", "\\%", StringComparison.Ordinal).Replace("_", "\\_", StringComparison.Ordinal)}%";
            lines = lines.Where(l => EF.Functions.ILike(l.By + " " + l.Words + " " + l.About + " " + l.More + " " + l.FromAddress, pattern));
        }

        return lines;
    }
}
