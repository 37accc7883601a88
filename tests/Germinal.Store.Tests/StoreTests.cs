using System.Text.RegularExpressions;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Store.Tests;

public sealed class StoreTests : IDisposable
{
    private static readonly Instant Now = Instant.FromUtc(2027, 3, 1, 13, 15);
    private readonly TestDatabase database = new();

    public void Dispose() => database.Dispose();

    [Fact]
    public void The_migrations_say_what_the_model_says()
    {
        using var db = database.CreateDbContext();
        Assert.False(db.Database.HasPendingModelChanges());
    }

    [Fact]
    public async Task Every_row_that_belongs_to_a_practice_is_kept_apart()
    {
        var (one, _, _) = await database.PracticeAsync(Now);
        var (two, _, _) = await database.PracticeAsync(Now, "2");
        await using (var db = database.For(one))
        {
            db.People.Add(
                new PersonRow
                {
                    Id = Guid.NewGuid(),
                    PracticeId = one,
                    FirstName = "Ida",
                    AddedAt = Now,
                }
            );
            await db.SaveChangesAsync();
        }

        await using var stranger = database.For(two);
        await using var nobody = database.CreateDbContext();
        await using var own = database.For(one);
        Assert.Equal(1, await own.People.CountAsync());
        Assert.Equal(0, await stranger.People.CountAsync());
        Assert.Equal(0, await nobody.People.CountAsync());

        // And no owned type has been left without the filter.
        var unfiltered = own
            .Model.GetEntityTypes()
            .Where(t => typeof(IOwned).IsAssignableFrom(t.ClrType) && t.ClrType != typeof(MemberUser) && t.GetDeclaredQueryFilters().Count == 0);
        Assert.Empty(unfiltered);
    }

    [Fact]
    public async Task The_first_page_and_a_deep_page_of_people_come_from_an_index()
    {
        var (practice, _, _) = await database.PracticeAsync(Now);
        await using var db = database.For(practice);
        await db.Database.ExecuteSqlAsync(
            $"""
            INSERT INTO people (id, practice_id, first_name, last_name, sort_name, search_text, tags, added_at, do_not_contact, do_not_contact_to_confirm, died, archived, edition)
            SELECT gen_random_uuid(), {practice}, 'F' || n, 'L' || n, 'l' || n || ' f' || n, 'f' || n || ' l' || n, ARRAY[]::text[], {Now}, false, false, false, false, 1 FROM generate_series(1, 20000) n
            """
        );
        await db.Database.ExecuteSqlRawAsync("ANALYZE people, person_states");
#pragma warning disable EF1002 // Text of the test itself.
        async Task<string> ExplainAsync(string sql) => string.Join('\n', await db.Database.SqlQueryRaw<string>($"EXPLAIN {sql}").ToListAsync());
#pragma warning restore EF1002
        Task<string> PlanAsync(string condition, string order) =>
            ExplainAsync($"SELECT * FROM people WHERE practice_id = '{practice}' AND NOT archived {condition} ORDER BY {order} LIMIT 61");
        Assert.Contains("Index Scan", await PlanAsync("", "sort_name, id"), StringComparison.Ordinal);
        Assert.Contains(
            "Index Cond: ((practice_id",
            await PlanAsync("AND (sort_name, id) > ('l5000 f5000', '00000000-0000-0000-0000-000000000000')", "sort_name, id"),
            StringComparison.Ordinal
        );
        var byNextTouch = db.People.Where(p => !p.Archived && p.Memory != null).OrderBy(p => p.Memory!.NextTouchAt).ThenBy(p => p.Id).Take(61).ToQueryString();
        var values = Regex.Matches(byNextTouch, "^-- (@\\w+)='(.*?)'", RegexOptions.Multiline).ToDictionary(m => m.Groups[1].Value, m => m.Groups[2].Value);
        var plan = await ExplainAsync(
            Regex.Replace(byNextTouch[byNextTouch.IndexOf("SELECT", StringComparison.Ordinal)..], "@\\w+", m => $"'{values[m.Value]}'")
        );
        Assert.Contains("ix_person_states_practice_id_next_touch_at_person_id", plan, StringComparison.Ordinal);
        Assert.DoesNotContain("Sort", plan, StringComparison.Ordinal);

        // On so few rows reading them all is cheaper; what is asked here is that the index can answer.
        await using var transaction = await db.Database.BeginTransactionAsync();
        await db.Database.ExecuteSqlRawAsync("SET LOCAL enable_seqscan = off; SET LOCAL enable_indexscan = off");
        Assert.Contains(
            "ix_people_search_text",
            string.Join('\n', await db.Database.SqlQueryRaw<string>("EXPLAIN SELECT count(*) FROM people WHERE search_text LIKE '%l12345%'").ToListAsync()),
            StringComparison.Ordinal
        );
    }

    [Theory]
    [InlineData("Þóra Núñez", "thora nunez"), InlineData("Łucja", "lucja"), InlineData("SIOBHÁN", "siobhan"), InlineData("Groß", "gross")]
    public void Names_are_folded_for_sorting_and_search(string name, string expected) => Assert.Equal(expected, PersonNames.Fold(name));

    [Fact]
    public async Task An_event_key_is_written_once()
    {
        var (practice, _, _) = await database.PracticeAsync(Now);
        await using var db = database.For(practice);
        var person = db
            .People.Add(
                new PersonRow
                {
                    Id = Guid.NewGuid(),
                    PracticeId = practice,
                    AddedAt = Now,
                }
            )
            .Entity;
        await db.SaveChangesAsync();
        EventRow Event() =>
            new()
            {
                PracticeId = practice,
                PersonId = person.Id,
                At = Now,
                Kind = "occasion",
                Key = "k",
            };
        db.Events.Add(Event());
        await db.SaveChangesAsync();
        db.Events.Add(Event());
        await Assert.ThrowsAsync<DbUpdateException>(() => db.SaveChangesAsync());
    }
}
