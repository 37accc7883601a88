using System.Globalization;
using System.Text;
using Germinal.Channels;
using Germinal.Core.Contact;
using Germinal.Core.Practices;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.Incoming;
using Germinal.Service.People;
using Germinal.Store;
using Germinal.Web.Hosting;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Web.Endpoints;

/// <summary>
/// The page on which a person takes or leaves channels and topics, reached by the signed link of every letter. What they
/// choose is written into the ledger as they press the button, and shown to them as it then stands. A second address confirms
/// that it was really them who asked (double opt-in).
/// </summary>
public static class PreferencePage
{
    private static readonly Channel[] Offered = [Channel.Email, Channel.Text];

    public static void Map(IEndpointRouteBuilder app)
    {
        app.MapGet("/p/{token}", Show).ExcludeFromDescription().RequireRateLimiting(PublicBrake.Pages);
        app.MapPost("/p/{token}", Save).ExcludeFromDescription().DisableAntiforgery().RequireRateLimiting(PublicBrake.Pages);
        app.MapGet("/c/{token}", ShowConfirmation).ExcludeFromDescription().RequireRateLimiting(PublicBrake.Pages);
        app.MapPost("/c/{token}", Confirm).ExcludeFromDescription().DisableAntiforgery().RequireRateLimiting(PublicBrake.Pages);
    }

    private sealed record Found(PersonFacts Person, Practice Practice, IReadOnlyList<string> Topics);

    private static async Task<Found?> FindAsync(Guid? id, GerminalDb db, CancellationToken stop)
    {
        if (
            id is null
            || await db.People.IgnoreQueryFilters().AsNoTracking().Where(p => p.Id == id).Select(p => (Guid?)p.PracticeId).FirstOrDefaultAsync(stop)
                is not { } practiceId
        )
        {
            return null;
        }

        db.PracticeId = practiceId;
        var (practice, settings) = await PracticeReading.LoadWithSettingsAsync(db, stop);
        var person = (await FactsReading.LoadAsync(db, [id.Value], stop))[id.Value];
        return new Found(person, practice, settings.Topics);
    }

    private static async Task<bool> TakesAsync(GerminalDb db, Found found, Channel channel, string? topic, CancellationToken stop)
    {
        var now = await PracticeClock.NowAsync(db, stop);
        return ConsentLedger.Read(found.Person.Consent, found.Practice.Consent, channel, Purpose.Commercial, topic, now, found.Practice.Zone).Verdict
            == ConsentVerdict.Allowed;
    }

    private static async Task<IResult> Show(string token, PublicLinks links, GerminalDb db, CancellationToken stop)
    {
        if (await FindAsync(links.TryReadPreferences(token), db, stop) is not { } found)
        {
            await Notices.ForgeryAsync(db, null, Said("a page of choices"), stop);
            return PublicPages.NotOurs();
        }

        return await PageAsync(db, found, null, stop);
    }

    private static async Task<IResult> PageAsync(GerminalDb db, Found found, string? note, CancellationToken stop)
    {
        var body = new StringBuilder();
        if (note is not null)
        {
            body.Append("<p role=\"status\"><b>").Append(PublicPages.Encode(note)).Append("</b></p>");
        }

        body.Append(CultureInfo.InvariantCulture, $"<p>{Said("What")} ")
            .Append(PublicPages.Encode(found.Practice.Name))
            .Append(CultureInfo.InvariantCulture, $" {Said("may write to you. It takes effect as soon as you press the button.")}</p><form method=\"post\">");
        foreach (var channel in Offered.Where(c => found.Person.AddressOf(c) is not null))
        {
            var word = ContactWords.Of(channel);
            body.Append("<fieldset><legend>").Append(channel == Channel.Email ? Said("By email") : Said("By text")).Append("</legend>");
            body.Append(Box($"{word}", Said("yes, in general"), await TakesAsync(db, found, channel, null, stop)));
            foreach (var (topic, n) in found.Topics.Select((t, n) => (t, n)))
            {
                body.Append(Box($"{word}.{n}", topic, await TakesAsync(db, found, channel, topic, stop)));
            }

            body.Append("</fieldset>");
        }

        body.Append(CultureInfo.InvariantCulture, $"<button type=\"submit\">{Said("Keep it like this")}</button></form>");
        return PublicPages.Html(Said("What you get from us"), body.ToString());
    }

    private static string Box(string name, string label, bool on) =>
        $"<label><input type=\"checkbox\" name=\"{name}\" value=\"yes\"{(on ? " checked" : "")}> {PublicPages.Encode(label)}</label>";

    private static async Task<IResult> Save(string token, HttpRequest request, PublicLinks links, GerminalDb db, CancellationToken stop)
    {
        if (!request.HasFormContentType || await FindAsync(links.TryReadPreferences(token), db, stop) is not { } found)
        {
            await Notices.ForgeryAsync(db, null, Said("a page of choices"), stop);
            return PublicPages.NotOurs();
        }

        var form = await request.ReadFormAsync(stop);
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        await PersonLock.TakeAsync(db, found.Person.Id, stop);
        found = (await FindAsync(found.Person.Id, db, stop))!;
        var desk = new PeopleDesk(db, Said("the recipient"), await PracticeClock.NowAsync(db, stop));
        var changed = 0;
        foreach (var channel in Offered.Where(c => found.Person.AddressOf(c) is not null))
        {
            var word = ContactWords.Of(channel);
            var general = form[word] == "yes";
            if (general != await TakesAsync(db, found, channel, null, stop))
            {
                await AddAsync(word, null, general);
                found = (await FindAsync(found.Person.Id, db, stop))!;
            }

            // A general no forbids every topic anyway; a topic taken in spite of it would say nothing.
            foreach (var (topic, n) in found.Topics.Select((t, n) => (t, n)).Where(_ => general))
            {
                var wanted = form[$"{word}.{n}"] == "yes";
                if (wanted != await TakesAsync(db, found, channel, topic, stop))
                {
                    await AddAsync(word, topic, wanted);
                }
            }
        }

        async Task AddAsync(string channel, string? topic, bool isIn)
        {
            await desk.AddConsentAsync(found.Person.Id, channel, "commercial", topic, isIn, "express", Said("chose it on their own page"), null, stop);
            changed++;
        }

        await transaction.CommitAsync(stop);
        found = (await FindAsync(found.Person.Id, db, stop))!;
        return await PageAsync(db, found, changed == 0 ? Said("Nothing was changed.") : Said("It is kept like this from now on."), stop);
    }

    /// <summary>How long the link of a confirmation works.</summary>
    private static readonly Duration ConfirmWithin = Duration.FromDays(7);

    private sealed record Asked(Found Who, TouchOf Touch, string? Over);

    /// <summary>What a confirmation's link is about; Over says why it does nothing any more.</summary>
    private static async Task<Asked?> AskedAsync(string token, PublicLinks links, GerminalDb db, CancellationToken stop)
    {
        if (
            links.TryReadConfirmation(token) is not { } id
            || await TouchOf.FindAsync(db, id, stop) is not { } touch
            || await FindAsync(touch.PersonId, db, stop) is not { } found
        )
        {
            return null;
        }

        var sent = touch.Message.SentAt;
        var over =
            touch.Message.ConfirmedAt is not null ? Said("This link has been used already; nothing is left to be done.")
            : await PracticeClock.NowAsync(db, stop) - sent > ConfirmWithin
                ? Said("This link worked for seven days. Ask for a new one if you still want our emails.")
            : await db.Consent.AnyAsync(c => c.PersonId == touch.PersonId && c.Channel == "email" && !c.IsIn && c.At >= sent, stop)
                ? Said("You have said no since this link was sent, and that holds. Tell us if you have changed your mind.")
            : null;
        return new Asked(found, touch, over);
    }

    private static IResult IsOver(Asked asked) =>
        PublicPages.Html(Say($"Emails from {asked.Who.Practice.Name}"), $"<p>{PublicPages.Encode(asked.Over!)}</p>", StatusCodes.Status410Gone);

    private static async Task<IResult> ShowConfirmation(string token, PublicLinks links, GerminalDb db, CancellationToken stop) =>
        await AskedAsync(token, links, db, stop) switch
        {
            null => PublicPages.NotOurs(),
            { Over: not null } asked => IsOver(asked),
            var asked => PublicPages.Html(
                Say($"Emails from {asked.Who.Practice.Name}"),
                $"<p>{Say($"Was it you who asked for emails from {PublicPages.Encode(asked.Who.Practice.Name)}?")}</p><form method=\"post\"><button type=\"submit\">{Said("Yes, send them")}</button></form>"
            ),
        };

    private static async Task<IResult> Confirm(string token, PublicLinks links, GerminalDb db, CancellationToken stop)
    {
        if (await AskedAsync(token, links, db, stop) is not { } asked)
        {
            await Notices.ForgeryAsync(db, null, Said("a confirmation"), stop);
            return PublicPages.NotOurs();
        }

        if (asked.Over is not null)
        {
            return IsOver(asked);
        }

        // Pressed twice at one moment is pressed once.
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var now = await PracticeClock.NowAsync(db, stop);
        if (
            await db
                .Messages.Where(m => m.TouchId == asked.Touch.TouchId && m.ConfirmedAt == null)
                .ExecuteUpdateAsync(u => u.SetProperty(m => m.ConfirmedAt, now), stop) == 1
        )
        {
            await new PeopleDesk(db, Said("the recipient"), now).AddConsentAsync(
                asked.Touch.PersonId,
                "email",
                "commercial",
                null,
                true,
                "express",
                Said("confirmed by the link in their mailbox"),
                null,
                stop
            );
        }

        await transaction.CommitAsync(stop);
        return PublicPages.Html(
            Said("Thank you"),
            $"<p>{Say($"{PublicPages.Encode(asked.Who.Practice.Name)} may write to you from now on. Every email says how to stop them.")}</p>"
        );
    }
}
