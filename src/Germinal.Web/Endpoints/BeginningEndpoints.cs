using Germinal.Channels.Mail;
using Germinal.Core.Contact;
using Germinal.Core.Practices;
using Germinal.Service;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.House;
using Germinal.Service.Import;
using Germinal.Service.Letters;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Germinal.Web.Journal;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Endpoints;

/// <summary>A part of a practice's beginning.</summary>
/// <param name="Key">who, look, mail, people, members, program or letter.</param>
/// <param name="Done">Because it is so, not because somebody ticked it.</param>
/// <param name="PutOff">Whether it was put off.</param>
public sealed record BeginningPartDto(string Key, bool Done, bool PutOff);

/// <summary>How far a practice's beginning is, and what stands already.</summary>
/// <param name="Country">Of the preset it goes by; empty for none.</param>
/// <param name="Colour">Of buttons and links on public pages, <c>#rrggbb</c>; empty for the application's own.</param>
/// <param name="GroundColour">Behind the head of public pages; empty for none.</param>
/// <param name="Picture">The logo's address; null for none.</param>
/// <param name="InstallationSends">Whether the installation has a mail server of its own.</param>
/// <param name="Shown">Whether it is still shown.</param>
public sealed record BeginningDto(
    string Practice,
    string Zone,
    string Country,
    string PostalAddress,
    string Colour,
    string GroundColour,
    string? Picture,
    MailServerDto? Mail,
    bool InstallationSends,
    bool Shown,
    IReadOnlyList<BeginningPartDto> Parts
);

/// <summary>Servers that were looked at for an address.</summary>
public sealed record FoundServersDto(IReadOnlyList<LookedAtServer> Servers);

/// <summary>The way a new practice begins: part after part, in any order, each done because it is.</summary>
public static class BeginningEndpoints
{
    private static readonly string[] Keys = ["who", "look", "mail", "people", "members", "program", "letter"];
    private const double Enough = 4.5;

    public sealed record WhoBody(
        [AtMost(Lengths.Name)] string Practice = "",
        [AtMost(60)] string Zone = "",
        [AtMost(2)] string Country = "",
        [AtMost(1000)] string PostalAddress = ""
    );

    public sealed record LookBody([AtMost(7)] string Colour = "", [AtMost(7)] string GroundColour = "", [AtMost(100)] string? Picture = null);

    public sealed record FindServerBody([AtMost(Lengths.Name)] string Address = "");

    public sealed record PartBody(bool PutOff = false);

    public sealed record ShownBody(bool Shown = false);

    public static void Map(IEndpointRouteBuilder app)
    {
        var beginning = app.MapGroup("/api/beginning").WithTags("beginning").RequireAuthorization(Rights.ChangeSettings);
        beginning.MapGet("", ReadAsync);
        beginning.MapPut("/who", WhoAsync);
        beginning.MapPut("/look", LookAsync);
        beginning.MapPost("/mail/find", FindServerAsync);
        beginning.MapPut("/mail", MailAsync);
        beginning.MapPut("/parts/{key}", PutOffAsync);
        beginning.MapPut("/shown", ShowAsync);
    }

    private static async Task<BeginningDto> ReadAsync(GerminalDb db, ServiceSettings installation, CancellationToken stop)
    {
        var row = await db.Practices.AsNoTracking().SingleAsync(p => p.Id == db.PracticeId, stop);
        var s = row.Settings;
        var done = new Dictionary<string, bool>(StringComparer.Ordinal)
        {
            ["who"] = s.PostalAddress.Trim().Length > 0,
            ["look"] = s.Colour.Length > 0 || s.PictureId is not null,
            ["mail"] = s.MailWorked,
            ["people"] = await db.People.AnyAsync(stop),
            ["members"] = await db.Users.CountAsync(m => m.PracticeId == db.PracticeId && m.LeftAt == null, stop) > 1,
            ["program"] = await db.Programs.AnyAsync(p => p.RehearsedAt != null, stop),
            ["letter"] = await db.Messages.AnyAsync(stop),
        };
        return new BeginningDto(
            row.Name,
            row.ZoneId,
            CountryPreset.Of(s.HolidaysOf)?.Country ?? "",
            s.PostalAddress,
            s.Colour,
            s.GroundColour,
            OwnPictures.AddressOf(s.PictureId),
            MailServerDto.Of(s.MailOut),
            installation.HasMail,
            s.Begins,
            [.. Keys.Select(k => new BeginningPartDto(k, done[k], s.BeginningPutOff.Contains(k, StringComparer.Ordinal)))]
        );
    }

    /// <summary>Changes the settings under their lock; every engine reads them anew.</summary>
    /// <param name="db">The practice's.</param>
    /// <param name="change">What is changed.</param>
    /// <param name="lookAgain">Whether it changes anybody's dates, which are then worked out again.</param>
    /// <param name="stop">Gives up.</param>
    private static async Task ChangeAsync(GerminalDb db, Action<PracticeRow> change, bool lookAgain, CancellationToken stop)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var settings = await SettingsChange.LockAsync(db, stop);
        change(settings.Row);
        await settings.SaveAsync(stop);
        if (lookAgain)
        {
            await PracticeClock.LookAgainAsync(db, stop);
        }

        await transaction.CommitAsync(stop);
    }

    private static async Task<Results<NoContent, ValidationProblem>> WhoAsync(WhoBody body, GerminalDb db, CancellationToken stop)
    {
        var (name, address) = (CellReading.Clean(body.Practice), body.PostalAddress.Trim().ReplaceLineEndings("\n"));
        var country = CountryPreset.Of(body.Country);
        var wrong = new List<(string Field, string Message)>();
        foreach (
            var (field, problem) in new[]
            {
                ("practice", SettingsTaking.NameProblem(name)),
                ("postalAddress", SettingsTaking.AddressProblem(address)),
                ("zone", SettingsTaking.ZoneProblem(body.Zone)),
            }
        )
        {
            if (problem is not null)
            {
                wrong.Add((field, problem));
            }
        }

        if (body.Country.Length > 0 && country is null)
        {
            wrong.Add(("country", Said("There is nothing preset for this country; choose another, or none.")));
        }

        if (wrong.Count > 0)
        {
            return Problems.Fields(wrong);
        }

        await ChangeAsync(
            db,
            row =>
            {
                (row.Name, row.ZoneId, row.Settings.PostalAddress) = (name, body.Zone, address);

                // What was changed by hand since stays, as long as the country does.
                if (country is not null && row.Settings.HolidaysOf != country.Country)
                {
                    NewPractice.Take(country, row.Settings);
                }
            },
            true,
            stop
        );
        return TypedResults.NoContent();
    }

    private static async Task<Results<NoContent, ValidationProblem>> LookAsync(LookBody body, GerminalDb db, CancellationToken stop)
    {
        var (colour, ground) = (body.Colour.Trim().ToLowerInvariant(), body.GroundColour.Trim().ToLowerInvariant());
        var wrong = new List<(string Field, string Message)>();
        foreach (var (field, said) in new[] { ("colour", colour), ("groundColour", ground) })
        {
            if (said.Length > 0 && Colour.TryParse(said) is null)
            {
                wrong.Add((field, Say($"“{said}” is no colour; #38662f would be.")));
            }
        }

        // Links stand in it on white paper (WCAG 2.2, 1.4.3).
        if (Colour.TryParse(colour) is { } own && own.Contrast(new Colour(255, 255, 255)) < Enough)
        {
            wrong.Add(("colour", Say($"Words in this colour are hard to read on white (contrast {own.Contrast(new Colour(255, 255, 255)):0.0}, and 4.5 is needed); {own.OnLight} is the nearest that is read well.")));
        }

        Guid? picture = null;
        if (body.Picture is { Length: > 0 } address)
        {
            picture = await OwnPictures.FindAsync(db, address, stop);
            if (picture is null)
            {
                wrong.Add(("picture", OwnPictures.NoSuch));
            }
        }

        if (wrong.Count > 0)
        {
            return Problems.Fields(wrong);
        }

        await ChangeAsync(db, row => (row.Settings.Colour, row.Settings.GroundColour, row.Settings.PictureId) = (colour, ground, picture), false, stop);
        return TypedResults.NoContent();
    }

    private static async Task<Results<Ok<FoundServersDto>, ValidationProblem>> FindServerAsync(FindServerBody body, MailServerSearch search, CancellationToken stop) =>
        Addresses.IsEmail(body.Address.Trim())
            ? TypedResults.Ok(new FoundServersDto(await search.FindAsync(body.Address.Trim()[(body.Address.Trim().LastIndexOf('@') + 1)..], stop)))
            : Problems.Field("address", Say($"“{body.Address}” is not an email address; ada@example.com would be."));

    /// <summary>Sends one mail to the caller by the server, and keeps it where that works; else nothing changes, and what the server answered is told.</summary>
    private static async Task<Results<Ok<TestAnswer>, ValidationProblem, ProblemHttpResult>> MailAsync(
        ServerBody body,
        GerminalDb db,
        Caller caller,
        IMailTransport mail,
        Secrets secrets,
        ServiceSettings installation,
        JournalNote note,
        CancellationToken stop
    )
    {
        if (body.Host.Trim().Length == 0 && !installation.HasMail)
        {
            return Problems.Field("host", Said("Say which server your mail goes out by; whoever gave you your address knows it."));
        }

        var practice = await db.Practices.AsNoTracking().SingleAsync(p => p.Id == db.PracticeId, stop);
        var (server, problem) = PracticeMail.OnThePage("host", body, practice.Settings.MailOut, secrets);
        if (problem is not null)
        {
            return problem;
        }

        var answer = await PracticeMail.SendTestAsync(db, practice, server, caller, mail, secrets, stop);
        if (answer.Worked)
        {
            await ChangeAsync(
                db,
                row =>
                {
                    row.Settings.MailOut = server;
                    row.Settings.MailWorked = true;
                },
                false,
                stop
            );
        }

        note.Say(answer.Worked ? Said("it worked") : Said("it did not work"));
        return TypedResults.Ok(answer);
    }

    private static async Task<Results<NoContent, NotFound>> PutOffAsync(string key, PartBody body, GerminalDb db, CancellationToken stop)
    {
        if (!Keys.Contains(key, StringComparer.Ordinal))
        {
            return TypedResults.NotFound();
        }

        await ChangeAsync(db, row => row.Settings.BeginningPutOff = [.. row.Settings.BeginningPutOff.Where(k => k != key), .. body.PutOff ? [key] : Array.Empty<string>()], false, stop);
        return TypedResults.NoContent();
    }

    private static async Task<NoContent> ShowAsync(ShownBody body, GerminalDb db, CancellationToken stop)
    {
        await ChangeAsync(db, row => row.Settings.Begins = body.Shown, false, stop);
        return TypedResults.NoContent();
    }
}
