using Germinal.Channels.Mail;
using Germinal.Service;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.House;
using Germinal.Service.Sending;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Web.Endpoints;

/// <summary>The health of sending: rates, the brake, the keys mail is signed with, and the records of one's domain.</summary>
public static class SendingEndpoints
{
    /// <param name="On">Whether mail stops by itself.</param>
    /// <param name="BouncePercent">Above so many in a hundred that came back.</param>
    /// <param name="ComplaintPercent">Above so many in a hundred that were complained about.</param>
    public sealed record BrakeBody(bool On = true, decimal BouncePercent = 5, decimal ComplaintPercent = 0.3m);

    /// <param name="Domain">The domain.</param>
    /// <param name="Selector">The key; of no weight where a new one is made or signing ends.</param>
    public sealed record SigningBody([AtMost(253)] string Domain = "", [AtMost(63)] string Selector = "");

    public static void Map(IEndpointRouteBuilder app)
    {
        var sending = app.MapGroup("/api/sending").WithTags("results").RequireAuthorization(Rights.Work);
        sending.MapGet("", Read);
        sending.MapGet("/records", Records);
        var change = sending.MapGroup("").RequireAuthorization(Rights.ChangeSettings);
        change.MapPut("/brake", SetBrake);
        change.MapPost("/brake/release", Release);
        change.MapPost("/keys", (SigningBody body, GerminalDb db, Secrets secrets, CancellationToken stop) => ChangeAsync(db, body.Domain, (s, d, now) => SigningKeys.Make(s, d, secrets, now), Said("There is a key already that waits for its record. Use that one, or throw it away first."), stop));
        change.MapPost("/keys/use", (SigningBody body, GerminalDb db, CancellationToken stop) => ChangeAsync(db, body.Domain, (s, d, now) => SigningKeys.Use(s, d, body.Selector, now), Said("There is no such key that waits to be used."), stop));
        change.MapPost("/keys/end", (SigningBody body, GerminalDb db, CancellationToken stop) => ChangeAsync(db, body.Domain, (s, d, now) => SigningKeys.End(s, d, now), Said("Nothing of this domain is signed."), stop));
        change.MapPost("/keys/throw-away", (SigningBody body, GerminalDb db, CancellationToken stop) => ChangeAsync(db, body.Domain, (s, d, _) => SigningKeys.ThrowAway(s, d, body.Selector), Said("There is no such key that never signed."), stop));
    }

    private static async Task<SendingHealthDto> Read(GerminalDb db, CancellationToken stop)
    {
        var (practice, settings) = await PracticeReading.LoadWithSettingsAsync(db, stop);
        return await SendingHealth.ReadAsync(db, practice, settings, await PracticeClock.NowAsync(db, stop), stop);
    }

    /// <summary>The records a domain should have, and how they stand where there is a resolver.</summary>
    private static async Task<Results<Ok<IReadOnlyList<DomainRecord>>, ValidationProblem>> Records([AtMost(253)] string? domain, GerminalDb db, IRecordLookup lookup, ServiceSettings installation, CancellationToken stop)
    {
        var (practice, settings) = await PracticeReading.LoadWithSettingsAsync(db, stop);
        if (domain is null || !SendingHealth.DomainsOf(practice).Contains(domain, StringComparer.Ordinal))
        {
            return Problems.Field("domain", Said("No member writes from this domain."));
        }

        var server = settings.MailOut is { Host.Length: > 0 } own ? own.Host : installation.Mail.Host;
        var keys = settings.SigningKeys.Where(k => k.Domain == domain && k.EndedAt is null).ToList();
        var asked = await Task.WhenAll(new[] { domain, $"_dmarc.{domain}" }.Concat(keys.Select(k => MailRecords.KeyName(domain, k.Selector))).Select(name => lookup.TextsAsync(name, stop)));
        return TypedResults.Ok<IReadOnlyList<DomainRecord>>(
            [MailRecords.Spf(domain, server, asked[0]), .. keys.Select((k, n) => MailRecords.Dkim(domain, k.Selector, k.PublicKey, asked[n + 2])), MailRecords.Dmarc(domain, asked[1])]
        );
    }

    private static async Task<Results<Ok<SendingHealthDto>, ValidationProblem>> SetBrake(BrakeBody body, GerminalDb db, CancellationToken stop)
    {
        if (body.BouncePercent is < 1 or > 20)
        {
            return Problems.Field("bouncePercent", Said("Between 1 and 20 in a hundred; 5 is usual."));
        }

        if (body.ComplaintPercent is < 0.05m or > 2)
        {
            return Problems.Field("complaintPercent", Said("Between 0.05 and 2 in a hundred; 0.3 is where large mailbox providers begin to refuse."));
        }

        await SaveAsync(
            db,
            (settings, _) =>
            {
                (settings.Brake.On, settings.Brake.BouncePercent, settings.Brake.ComplaintPercent) = (body.On, body.BouncePercent, body.ComplaintPercent);
                return true;
            },
            stop
        );
        return TypedResults.Ok(await Read(db, stop));
    }

    private static async Task<Results<Ok<SendingHealthDto>, ProblemHttpResult>> Release(GerminalDb db, CancellationToken stop)
    {
        var released = await BrakeWatch.ReleaseAsync(db, await PracticeClock.NowAsync(db, stop), stop);
        return released ? TypedResults.Ok(await Read(db, stop)) : Problems.Conflict(Said("Nothing has stopped."));
    }

    private static async Task<Results<Ok<SendingHealthDto>, ValidationProblem, ProblemHttpResult>> ChangeAsync(GerminalDb db, string domain, Func<PracticeSettings, string, Instant, bool> change, string otherwise, CancellationToken stop)
    {
        if (!SendingHealth.DomainsOf(await PracticeReading.LoadAsync(db, stop)).Contains(domain, StringComparer.Ordinal))
        {
            return Problems.Field("domain", Said("No member writes from this domain."));
        }

        return await SaveAsync(db, (settings, now) => change(settings, domain, now), stop) ? TypedResults.Ok(await Read(db, stop)) : Problems.Conflict(otherwise);
    }

    /// <summary>Changes the settings while nobody else does; nothing is saved where the change says no.</summary>
    private static async Task<bool> SaveAsync(GerminalDb db, Func<PracticeSettings, Instant, bool> change, CancellationToken stop)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var kept = await SettingsChange.LockAsync(db, stop);
        if (!change(kept.Settings, await PracticeClock.NowAsync(db, stop)))
        {
            return false;
        }

        await kept.SaveAsync(stop);
        await transaction.CommitAsync(stop);
        return true;
    }
}
