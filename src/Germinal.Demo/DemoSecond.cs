using Germinal.Core.Engine;
using Germinal.Core.Practices;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Identity;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Demo;

/// <summary>What else is on the demo's installation: a second practice, small, and whoever keeps the installation.</summary>
internal static class DemoSecond
{
    private const int People = 24;
    private const int Seed = 20_270_301;
    private static readonly Guid Practice = StableId.Of(Guid.Empty, "demo/second-practice");
    private static readonly Instant Since = Instant.FromUtc(2026, 9, 1, 14, 0);

    /// <summary>What the practice is called.</summary>
    public const string Name = "Hollin Lane Homes";

    /// <summary>Whoever can sign in, besides the members of the demo practice.</summary>
    public static IReadOnlyList<(string Name, string Email, string Role)> SignIns { get; } =
    [("Piet Marlow", "piet@example.com", "principal"), ("Esme Tarn", "esme@example.com", "adviser"), ("Orla Finch", "orla@example.com", Rights.Keeper)];

    /// <summary>Makes it, once.</summary>
    public static async Task MakeAsync(GerminalDb db, UserManager<MemberUser> users, string password, CancellationToken stop)
    {
        if (await db.Practices.AnyAsync(p => p.Id == Practice, stop))
        {
            return;
        }

        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var settings = new PracticeSettings
        {
            Pipelines = [new PipelineSettings { Name = "Selling", Stages = ["Inquiry", "Valued", "On the market", "Under offer", "Sold"] }],
            PostalAddress = "Hollin Lane Homes\n3 Hollin Lane\nDune Harbor, MI",

            // Texts to the installation's own number are for the practice that has none of its own.
            TextNumber = "+12315550199",
            KeyDates = ["birthday", "moved in"],
        };
        NewPractice.Take(CountryPreset.Of("US")!, settings);
        db.Practices.Add(new PracticeRow { Id = Practice, Name = Name, ZoneId = "America/Detroit", Settings = settings });
        await db.SaveChangesAsync(stop);
        db.PracticeId = Practice;
        var members = new List<Guid>();
        foreach (var (name, email, role) in SignIns.Where(s => s.Role != Rights.Keeper))
        {
            var member = new MemberUser { Id = StableId.Of(Practice, $"member/{name}"), PracticeId = Practice, Name = name, Email = email, UserName = email, Role = role };
            var made = await users.CreateAsync(member, password);
            members.Add(made.Succeeded ? member.Id : throw new InvalidOperationException($"The demo member {name} could not be made: {string.Join(" ", made.Errors.Select(e => e.Description))}"));
        }

        settings.FallbackSender = members[0];
        db.Entry(await db.Practices.SingleAsync(p => p.Id == Practice, stop)).Property(p => p.Settings).IsModified = true;
        AddPeople(db, settings, members);
        await db.SaveChangesAsync(stop);
        foreach (var (name, email, _) in SignIns.Where(s => s.Role == Rights.Keeper))
        {
            await Keepers.AddAsync(db, users, name, email, password, stop);
        }

        await transaction.CommitAsync(stop);
        db.PracticeId = DemoPractice.Practice;
    }

    private static void AddPeople(GerminalDb db, PracticeSettings settings, List<Guid> members)
    {
        var random = new Random(Seed);
        var make = new DemoPeople(random, Practice, [.. members, members[0]]);
        var stages = settings.AllStages().ToList();
        for (var i = 0; i < People; i++)
        {
            var (person, dates, consent) = make.Make(stages[i % stages.Count], Since + Duration.FromDays(random.Next(0, 150)), null);

            // Telephone numbers stay with the first practice, so that a text that comes in is somebody's for certain.
            (person.Mobile, person.Tags) = (null, i % stages.Count == stages.Count - 1 ? ["Sold"] : ["Selling"]);
            db.People.Add(person);
            db.KeyDates.AddRange(dates);
            db.Consent.AddRange(consent.Where(c => c.Channel == "email"));
        }
    }
}
