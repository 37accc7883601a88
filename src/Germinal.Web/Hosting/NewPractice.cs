using Germinal.Core.Practices;
using Germinal.Core.Time;
using Germinal.Core.Words;
using Germinal.Service.Engine;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.AspNetCore.Identity;
using NodaTime;

namespace Germinal.Web.Hosting;

/// <summary>Makes a practice with its first principal.</summary>
public static class NewPractice
{
    /// <summary>Makes it, in the caller's transaction where there is one.</summary>
    /// <param name="db">The context; it sees the new practice afterwards.</param>
    /// <param name="users">For the principal's password.</param>
    /// <param name="name">What the practice is called.</param>
    /// <param name="zone">IANA zone.</param>
    /// <param name="country">Of the preset it begins with; null where there is none.</param>
    /// <param name="principal">Name and email address.</param>
    /// <param name="password">As <c>PasswordRules</c> takes it; null where they are invited, and choose one themselves.</param>
    /// <param name="stop">Gives up.</param>
    /// <exception cref="InvalidOperationException">The member could not be made; the message says why.</exception>
    public static async Task<MemberUser> MakeAsync(
        GerminalDb db,
        UserManager<MemberUser> users,
        string name,
        string zone,
        CountryPreset? country,
        (string Name, string Email) principal,
        string? password,
        CancellationToken stop
    )
    {
        var practice = new PracticeRow
        {
            Id = Guid.CreateVersion7(),
            Name = name,
            ZoneId = zone,
            Settings = Usual(),
        };
        if (country is not null)
        {
            Take(country, practice.Settings);
        }

        var member = new MemberUser
        {
            Id = Guid.CreateVersion7(),
            PracticeId = practice.Id,
            Name = principal.Name,
            Email = principal.Email,
            UserName = principal.Email,
            Role = "principal",
            InvitedAt = password is null ? SystemClock.Instance.GetCurrentInstant() : null,
        };
        practice.Settings.FallbackSender = member.Id;
        db.Practices.Add(practice);
        db.PracticeId = practice.Id;
        await db.SaveChangesAsync(stop);
        var made = await (password is null ? users.CreateAsync(member) : users.CreateAsync(member, password));
        return made.Succeeded
            ? member
            : throw new InvalidOperationException($"{principal.Email} could not be made a member: {string.Join(" ", made.Errors.Select(e => e.Description))}");
    }

    /// <summary>What most practices will want, until they say otherwise: one pipeline, and nobody written to more than twice a day or four times a week.</summary>
    private static PracticeSettings Usual() =>
        new()
        {
            Begins = true,
            Pipelines = [new PipelineSettings { Name = "Clients", Stages = ["Inquiry", "First meeting", "Proposal", "Client"] }],
            LostReasons = ["timing", "went elsewhere", "no reply"],
            AppointmentTypes = ["first meeting", "yearly review"],
            Pace = [new PaceSettings { Max = 2, Days = 1, Channels = ["email", "text"] }, new PaceSettings { Max = 4, Days = 7, Channels = ["email", "text"] }],
        };

    /// <summary>What a country presets, as settings are stored.</summary>
    public static void Take(CountryPreset country, PracticeSettings settings)
    {
        settings.Tongue = Tongue.Of(country.Country).Tag;
        settings.HolidaysOf = settings.PhoneRegion = country.Country;
        settings.WorkingDays = [.. country.WorkingDays.Select(d => PracticeReading.WordOf(d))];
        settings.QuietFrom = TimesOfDay.Form.Format(country.QuietFrom);
        settings.QuietTo = TimesOfDay.Form.Format(country.QuietTo);
        settings.OpenChannels = [.. country.OpenChannels.Select(c => c.ToString().ToLowerInvariant())];
        (settings.InquiryMonths, settings.ClientMonths) = (country.InquiryMonths, country.ClientMonths);
        settings.DateOrder = country.MonthFirst ? "mdy" : "dmy";
        settings.Prices.Currency = country.Currency;
    }
}
