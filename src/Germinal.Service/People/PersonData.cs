using System.IO.Compression;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using System.Text.Json.Serialization;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using MimeKit;
using NodaTime;
using NodaTime.Serialization.SystemTextJson;

namespace Germinal.Service.People;

/// <summary>
/// A person's data on request: everything as JSON and mail files (GDPR Art. 15 and 20), and erasure that leaves only the
/// hashes by which they are never written to again (Art. 17).
/// </summary>
public sealed class PersonData(GerminalDb db)
{
    private static readonly JsonSerializerOptions Json = new JsonSerializerOptions(JsonSerializerDefaults.Web)
    {
        WriteIndented = true, DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull, Encoder = System.Text.Encodings.Web.JavaScriptEncoder.UnsafeRelaxedJsonEscaping,
    }.ConfigureForNodaTime(DateTimeZoneProviders.Tzdb);

    /// <summary>Everything kept about a person as a ZIP file: <c>person.json</c>, <c>consent.json</c> and the rest, and each message as <c>.eml</c>.</summary>
    public async Task WriteAsync(Guid person, Stream output, CancellationToken stop)
    {
        await using var zip = new ZipArchive(output, ZipArchiveMode.Create, leaveOpen: true);
        async Task AddAsync<T>(string name, T value)
        {
            await using var entry = await zip.CreateEntry(name).OpenAsync(stop);
            await JsonSerializer.SerializeAsync(entry, value, Json, stop);
        }

        await AddAsync("person.json", await db.People.AsNoTracking().SingleAsync(p => p.Id == person, stop));
        await AddAsync("dates.json", await db.KeyDates.AsNoTracking().Where(d => d.PersonId == person).ToListAsync(stop));
        await AddAsync("consent.json", await db.Consent.AsNoTracking().Where(c => c.PersonId == person).OrderBy(c => c.At).ToListAsync(stop));
        await AddAsync("events.json", await db.Events.AsNoTracking().Where(e => e.PersonId == person).OrderBy(e => e.At).ToListAsync(stop));
        await AddAsync("runs.json", await db.Runs.AsNoTracking().Where(r => r.PersonId == person).OrderBy(r => r.StartedAt).ToListAsync(stop));
        await AddAsync("touches.json", await db.Touches.AsNoTracking().Where(t => t.PersonId == person).OrderBy(t => t.Due).ToListAsync(stop));
        await AddAsync("opportunities.json", await db.Opportunities.AsNoTracking().Where(o => o.PersonId == person).ToListAsync(stop));
        await AddAsync("appointments.json", await db.Appointments.AsNoTracking().Where(a => a.PersonId == person).ToListAsync(stop));
        await AddAsync("inquiries.json", await db.Inquiries.AsNoTracking().Where(i => i.PersonId == person).ToListAsync(stop));
        await AddAsync("received.json", await db.Received.AsNoTracking().Where(r => r.PersonId == person).OrderBy(r => r.At).ToListAsync(stop));
        foreach (var message in await db.Messages.AsNoTracking().Where(m => m.PersonId == person).OrderBy(m => m.SentAt).ToListAsync(stop))
        {
            await using var entry = await zip.CreateEntry($"messages/{message.SentAt.InUtc().Date:uuuu-MM-dd}-{message.TouchId:N}.eml").OpenAsync(stop);
            using var mail = ToMail(message);
            await mail.WriteToAsync(entry, stop);
        }
    }

    private static MimeMessage ToMail(MessageRow row)
    {
        var mail = new MimeMessage { Subject = row.Channel == "text" ? "(text message)" : row.Subject, Date = row.SentAt.ToDateTimeOffset(), Body = new BodyBuilder { TextBody = row.Text, HtmlBody = row.Html.Length > 0 ? row.Html : null }.ToMessageBody() };
        if (row.Channel == "email")
        {
            mail.MessageId = row.MessageId;
            mail.From.Add(new MailboxAddress(row.FromName, row.FromAddress));
            mail.To.Add(MailboxAddress.Parse(row.ToAddress));
        }

        return mail;
    }

    /// <summary>
    /// Erases a person: every row about them goes. What stays are hashes of their addresses, so that a list brought in later
    /// cannot make anybody write to them again.
    /// </summary>
    public async Task EraseAsync(PersonRow person, Instant now, CancellationToken stop)
    {
        foreach (var address in new[] { person.Email, person.OtherEmail, person.Mobile, person.OtherPhone }.OfType<string>().Distinct())
        {
            var hash = HashOf(address);
            await db.Database.ExecuteSqlAsync($"INSERT INTO suppressions (practice_id, address, reason, at) VALUES ({person.PracticeId}, {hash}, 'erased', {now}) ON CONFLICT DO NOTHING", stop);
            await db.Suppressions.Where(s => s.Address == address).ExecuteDeleteAsync(stop);
        }

        await db.Received.Where(r => r.GuessId == person.Id).ExecuteUpdateAsync(u => u.SetProperty(r => r.GuessId, (Guid?)null), stop);
        await db.Merges.Where(m => m.MergedId == person.Id || m.KeptId == person.Id).ExecuteDeleteAsync(stop);

        // Everything else hangs on the person's row and goes with it.
        db.People.Remove(person);
        await db.SaveChangesAsync(stop);
    }

    /// <summary>What stands for an address that was erased.</summary>
    public static string HashOf(string address) => "sha256:" + Convert.ToHexStringLower(SHA256.HashData(Encoding.UTF8.GetBytes(address.ToLowerInvariant())));
}
