using Germinal.Core.Contact;
using Germinal.Core.Files;
using Germinal.Core.Rules;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Demo;

/// <summary>
/// What the demo practice knows around its people: who lives together, who sent whom, what it keeps of its clients in fields of its
/// own, and the segments it asks for. Worked out of the people there are, so that it is the same each time.
/// </summary>
internal static class DemoCircle
{
    private static readonly string[] Attitudes = ["Careful", "Balanced", "Bold"];

    /// <summary>Draws it, once; a practice that has households already is left alone.</summary>
    public static async Task DrawAsync(GerminalDb db, CancellationToken stop)
    {
        db.PracticeId = DemoPractice.Practice;
        if (await db.Households.AnyAsync(stop) || !await db.People.AnyAsync(stop))
        {
            return;
        }

        var people = await db.People.Where(p => !p.Archived).OrderBy(p => p.AddedAt).ThenBy(p => p.Id).ToListAsync(stop);
        LiveTogether(db, people);
        Sent(db, people);
        await KeepAsync(db, people, stop);
        Ask(db);
        await db.SaveChangesAsync(stop);
    }

    private static void LiveTogether(GerminalDb db, List<PersonRow> people)
    {
        foreach (var house in people.Where(p => p.Address is not null && p.LastName is not null).GroupBy(p => (p.Address, p.LastName)).Where(g => g.Count() > 1))
        {
            var home = new HouseholdRow
            {
                Id = Guid.CreateVersion7(),
                PracticeId = DemoPractice.Practice,
                CreatedAt = house.Max(p => p.AddedAt),
            };
            db.Households.Add(home);
            foreach (var person in house)
            {
                person.HouseholdId = home.Id;
            }

            var pair = house.Take(2).ToList();
            Relate(db, pair[0], pair[1], "spouse", "spouse");
        }
    }

    private static void Sent(GerminalDb db, List<PersonRow> people)
    {
        var senders = people.Where(p => p.Stage == "Planning/Client").Take(12).ToList();
        var sent = people.Where(p => p.Source == "referral" && !senders.Contains(p)).TakeLast(40).ToList();
        for (var i = 0; i < sent.Count && senders.Count > 0; i++)
        {
            Relate(db, sent[i], senders[i % senders.Count], "referrer", "referred");
        }

        // One of them is the solicitor of several.
        foreach (var client in senders.Skip(1).Take(6))
        {
            Relate(db, client, senders[0], "solicitor", "client");
        }
    }

    private static void Relate(GerminalDb db, PersonRow person, PersonRow other, string role, string back) =>
        db.Relations.Add(
            new RelationRow
            {
                Id = Guid.CreateVersion7(),
                PracticeId = DemoPractice.Practice,
                PersonId = person.Id,
                OtherId = other.Id,
                Role = role,
                Back = back,
                At = Instant.Max(person.AddedAt, other.AddedAt),
                By = "Ada Quill",
            }
        );

    private static async Task KeepAsync(GerminalDb db, List<PersonRow> people, CancellationToken stop)
    {
        var practice = await db.Practices.SingleAsync(p => p.Id == DemoPractice.Practice, stop);
        practice.Settings.OwnFields =
        [
            new OwnFieldSettings { Key = "Net worth", Name = "Net worth", Kind = "money" },
            new OwnFieldSettings { Key = "Attitude to risk", Name = "Attitude to risk", Kind = "choice", Options = [.. Attitudes] },
        ];
        db.Entry(practice).Property(p => p.Settings).IsModified = true;
        practice.Edition++;
        var clients = people.Where(p => p.Stage == "Planning/Client").ToList();
        for (var i = 0; i < clients.Count; i += 3)
        {
            clients[i].Custom = new() { ["Net worth"] = $"{(i % 17 + 1) * 65_000}", ["Attitude to risk"] = Attitudes[i / 3 % 3] };
        }
    }

    private static void Ask(GerminalDb db)
    {
        void Keep(string name, Rule rule) =>
            db.Segments.Add(
                new SegmentRow
                {
                    Id = Guid.CreateVersion7(),
                    PracticeId = DemoPractice.Practice,
                    Name = name,
                    Rule = RuleReader.Write(rule).ToJsonString(),
                    CreatedAt = DemoPractice.End,
                    By = "Ada Quill",
                }
            );
        var clients = new Leaf("stage", RuleOp.Is, ["Planning/Client"]);
        Keep("Clients in Maine", new AllOf([clients, new Leaf("state", RuleOp.Is, [PostalPlace.StateOf("Maine")])]));
        Keep(
            "Cooled off",
            new AllOf([
                new Leaf("stage", RuleOp.In, ["Planning/Plan drafted", "Planning/Proposal"]),
                new AnyOf([new Leaf("last-touch", RuleOp.NotInLast, ["P30D"]), new Leaf("opened", RuleOp.NotInLast, ["P90D"])]),
                new Not(new Leaf("tags", RuleOp.Has, ["Client"])),
            ])
        );
        Keep("Sent by a client", new AllOf([new Leaf("relation:referrer", RuleOp.Exists, [])]));
    }
}
