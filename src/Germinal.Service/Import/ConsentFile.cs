using Germinal.Channels.Tables;
using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Time;
using Germinal.Service.People;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;
using NodaTime.Text;

namespace Germinal.Service.Import;

/// <summary>A row of a consent file that cannot be used, and what would be right.</summary>
public sealed record ConsentProblem(int Line, string Text);

/// <summary>What a consent file brings.</summary>
/// <param name="Rows">Rows in it.</param>
/// <param name="New">Entries the ledger does not have yet.</param>
/// <param name="Known">Entries it has already.</param>
/// <param name="Problems">Rows that are left out, each with why.</param>
public sealed record ConsentFileReport(int Rows, int New, int Known, IReadOnlyList<ConsentProblem> Problems);

/// <summary>
/// The consent ledger as a CSV file (rule 10.1), out for one person and in for many: email, mobile, channel, purpose, topic,
/// decision, basis, at, source, evidence, reason. A file that went out comes back in without changing anything. Entries are only
/// ever added; like every import it starts no program, while a refusal counts at once.
/// </summary>
public sealed class ConsentFile
{
    private static readonly string[] Columns = ["email", "mobile", "channel", "purpose", "topic", "decision", "basis", "at", "source", "evidence", "reason"];

    private readonly List<ConsentProblem> problems = [];
    private readonly List<ConsentRow> entries = [];
    private readonly GerminalDb db;
    private int rows;
    private int known;

    private ConsentFile(GerminalDb db) => this.db = db;

    /// <summary>What the file brings.</summary>
    public ConsentFileReport Report => new(rows, entries.Count, known, problems);

    /// <summary>Writes a person's whole ledger, the oldest entry first.</summary>
    public static async Task WriteAsync(GerminalDb db, PersonRow person, TextWriter output, CancellationToken stop)
    {
        await using var csv = CsvText.Writer(output);
        csv.WriteRow(Columns);
        await foreach (
            var c in db
                .Consent.AsNoTracking()
                .Where(c => c.PersonId == person.Id)
                .OrderBy(c => c.At)
                .ThenBy(c => c.Id)
                .AsAsyncEnumerable()
                .WithCancellation(stop)
        )
        {
            csv.WriteRow([
                person.Email,
                person.Mobile,
                c.Channel,
                c.Purpose ?? "everything",
                c.Topic,
                c.IsIn ? "in" : "out",
                c.Basis,
                c.At.Iso(),
                c.Source,
                c.Evidence,
                c.Reason,
            ]);
        }
    }

    /// <summary>Reads a file against the people of the practice, without writing anything.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="file">The file.</param>
    /// <param name="by">The member who brings it in.</param>
    /// <param name="stop">Gives up.</param>
    /// <exception cref="UnreadableFileException">It is no text, or a column that every entry needs is missing.</exception>
    public static async Task<ConsentFile> ReadAsync(GerminalDb db, byte[] file, string by, CancellationToken stop)
    {
        var table = ListTable.Read(file);
        var places = Columns.ToDictionary(c => c, c => Array.FindIndex(table.Header, h => h.Equals(c, StringComparison.OrdinalIgnoreCase)));
        var missing = new[] { "channel", "decision", "at", "source" }.Where(c => places[c] < 0).ToList();
        if (missing.Count > 0 || (places["email"] < 0 && places["mobile"] < 0))
        {
            throw new UnreadableFileException(
                Say($"The file has no column {string.Join(", ", missing.DefaultIfEmpty(Said("email or mobile")))}. Columns of a consent file: {string.Join(", ", Columns)}; purpose, topic, basis, evidence and reason may be missing.")
            );
        }

        var reading = new ConsentFile(db) { rows = table.Records.Count };
        var people = await AddressBook.OfAsync(db, stop);
        var practice = await db.Practices.AsNoTracking().SingleAsync(p => p.Id == db.PracticeId, stop);
        var zone = DateTimeZoneProviders.Tzdb[practice.ZoneId];
        var now = await Clock.PracticeClock.NowAsync(db, stop);
        foreach (var record in table.Records)
        {
            string Cell(string column) => places[column] is >= 0 and var at ? record.Cells[at].Trim() : "";
            if (reading.ReadRow(record.Line, Cell, people, practice.Settings, zone, now) is { } found)
            {
                reading.entries.AddRange(found.People.Select(person => EntryOf(found.Entry, person, by)));
            }
        }

        await reading.LeaveOutKnownAsync(stop);
        return reading;
    }

    private static ConsentRow EntryOf(ConsentRow form, Guid person, string by) =>
        new()
        {
            PracticeId = form.PracticeId,
            PersonId = person,
            Channel = form.Channel,
            Purpose = form.Purpose,
            Topic = form.Topic,
            IsIn = form.IsIn,
            Basis = form.Basis,
            At = form.At,
            Source = form.Source,
            Reason = form.Reason,
            Evidence = form.Evidence,
            By = by,
        };

    private (ConsentRow Entry, IReadOnlyList<Guid> People)? ReadRow(
        int line,
        Func<string, string> cell,
        AddressBook book,
        PracticeSettings settings,
        DateTimeZone zone,
        Instant now
    )
    {
        (ConsentRow, IReadOnlyList<Guid>)? Wrong(string text)
        {
            problems.Add(new ConsentProblem(line, text));
            return null;
        }

        var channel = cell("channel").ToLowerInvariant();
        if (ContactWords.ChannelOf(channel) is null)
        {
            return Wrong(Say($"“{cell("channel")}” is no channel; email, text, call or post is."));
        }

        if (CellReading.YesOrNo(cell("decision")).Value is not { } isIn)
        {
            return Wrong(Say($"“{cell("decision")}” is no decision; in or out is."));
        }

        var purpose = cell("purpose").ToLowerInvariant() switch
        {
            "" => "commercial",
            var given => given,
        };
        if (purpose is not ("commercial" or "transactional" or "everything"))
        {
            return Wrong(Say($"“{cell("purpose")}” is no purpose; commercial, transactional or everything is."));
        }

        var basis = cell("basis").ToLowerInvariant() switch
        {
            "" => "express",
            var given => given,
        };
        if (basis is not ("express" or "inquiry" or "client"))
        {
            return Wrong(Say($"“{cell("basis")}” is nothing a consent can stand on; express, inquiry or client is."));
        }

        var topic = cell("topic") is { Length: > 0 } word ? settings.Topics.Find(t => t.Equals(word, StringComparison.OrdinalIgnoreCase)) : null;
        if (topic is null && cell("topic").Length > 0)
        {
            return Wrong(
                settings.Topics.Count == 0
                    ? Say($"There is no topic “{cell("topic")}”; the practice has none. A principal adds topics under The practice.")
                    : Say($"There is no topic “{cell("topic")}”; the practice’s topics are {string.Join(", ", settings.Topics)}.")
            );
        }

        if (InstantOf(cell("at"), settings.DateOrder == "dmy", zone, now) is not { } at)
        {
            return Wrong(Say($"“{cell("at")}” is no day on which it can have been said; a day up to today as 2026-03-09 or a moment as 2026-03-09T14:05:00Z is."));
        }

        if (cell("source").Length == 0)
        {
            return Wrong(Said("It does not say where it comes from; source names the form, letter or talk."));
        }

        var people = book.Find(cell("email"), CellReading.Phone(cell("mobile"), settings.PhoneRegion).Value.Number);
        if (people.Count == 0)
        {
            return Wrong(
                Say($"Nobody here has {(cell("email").Length > 0 ? cell("email") : cell("mobile") is { Length: > 0 } number ? number : Said("no address and no number"))}. Bring the person in first, or mend the address.")
            );
        }

        if (people.Count > 1 && isIn)
        {
            return Wrong(
                Say($"{people.Count} people share {(cell("email").Length > 0 ? cell("email") : cell("mobile"))}; who of them agreed cannot be told. Enter it on the person’s own page.")
            );
        }

        string? Optional(string column) => cell(column) is { Length: > 0 } given ? given : null;
        return (
            new ConsentRow
            {
                PracticeId = db.PracticeId!.Value,
                Channel = channel,
                Purpose = purpose == "everything" ? null : purpose,
                Topic = topic,
                IsIn = isIn,
                Basis = basis,
                At = at,
                Source = cell("source"),
                Evidence = Optional("evidence"),
                Reason = Optional("reason"),
            },
            people
        );
    }

    /// <summary>A moment as ISO 8601, or the beginning of a day in the practice's zone; null for what is neither or lies in the future.</summary>
    private static Instant? InstantOf(string text, bool dayFirst, DateTimeZone zone, Instant now)
    {
        var at =
            InstantPattern.ExtendedIso.Parse(text) is { Success: true, Value: var moment } ? moment
            : CellReading.Date(text, dayFirst, now.InZone(zone).Date).Value is { Year: { } year } day
                ? zone.AtStartOfDay(new LocalDate(year, day.Month, day.Day)).ToInstant()
            : (Instant?)null;
        return at <= now ? at : null;
    }

    private async Task LeaveOutKnownAsync(CancellationToken stop)
    {
        static object Key(ConsentRow c) => (c.PersonId, c.Channel, c.Purpose, c.Topic, c.IsIn, c.Basis, c.At, c.Source);
        var ids = entries.Select(e => e.PersonId).Distinct().ToArray();
        var seen = (await db.Consent.AsNoTracking().Where(c => ids.Contains(c.PersonId)).ToListAsync(stop)).Select(Key).ToHashSet();
        known = entries.RemoveAll(e => !seen.Add(Key(e)));
    }

    /// <summary>Adds the new entries to the ledger, all or none, and tells the engine of refusals that nothing later takes back.</summary>
    public async Task AddAsync(CancellationToken stop)
    {
        var ids = entries.Select(e => e.PersonId).Distinct().ToArray();
        var latest = (await db.Consent.AsNoTracking().Where(c => ids.Contains(c.PersonId)).ToListAsync(stop))
            .Concat(entries)
            .GroupBy(c => (c.PersonId, c.Channel))
            .ToDictionary(g => g.Key, g => g.Max(c => c.At));
        var now = await Clock.PracticeClock.NowAsync(db, stop);
        db.Consent.AddRange(entries.OrderBy(e => e.At));
        db.Events.AddRange(
            entries
                .Where(e => !e.IsIn && e.At >= latest[(e.PersonId, e.Channel)])
                .Select(e =>
                    new PeopleDesk(db, e.By ?? "", now).NewEvent(
                        e.PersonId,
                        new ConsentGiven(now, Words.ChannelOf(e.Channel), In: false, Everything: e.Purpose is null),
                        ("source", e.Source)
                    )
                )
        );
        await db.SaveChangesAsync(stop);
    }

    /// <summary>Who has an address or a number. Two people of one household may share one.</summary>
    private sealed class AddressBook
    {
        private ILookup<string, Guid> ids = null!;

        public static async Task<AddressBook> OfAsync(GerminalDb db, CancellationToken stop)
        {
            var people = await db
                .People.AsNoTracking()
                .Where(p => !p.Archived)
                .Select(p => new
                {
                    p.Id,
                    p.Email,
                    p.OtherEmail,
                    p.Mobile,
                    p.OtherPhone,
                })
                .ToListAsync(stop);
            return new AddressBook
            {
                ids = people
                    .SelectMany(p =>
                        new[] { p.Email, p.OtherEmail, p.Mobile, p.OtherPhone }.OfType<string>().Distinct().Select(a => (Address: a.ToLowerInvariant(), p.Id))
                    )
                    .ToLookup(a => a.Address, a => a.Id),
            };
        }

        public IReadOnlyList<Guid> Find(string email, string? mobile) => [.. email.Length > 0 ? ids[email.ToLowerInvariant()] : ids[mobile ?? ""]];
    }
}
