using System.Text.Json;
using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Practices;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;
using Npgsql;

namespace Germinal.Store.Tests;

public sealed class BulkWritingTests : IDisposable
{
    private static readonly Instant Now = Instant.FromUtc(2027, 3, 1, 13, 15);
    private readonly TestDatabase database = new();

    public void Dispose() => database.Dispose();

    private async Task<(Guid Practice, Guid Person)> SomebodyAsync()
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
        return (practice, person.Id);
    }

    private static TouchRow Touch(Guid practice, Guid person, bool full) =>
        new()
        {
            Id = Guid.NewGuid(),
            PracticeId = practice,
            PersonId = person,
            RunId = Guid.Empty,
            ProgramId = Guid.Empty,
            Version = 3,
            StepId = "a",
            Kind = "call",
            Status = TouchStatus.Open,
            Priority = 7,
            Reason = full ? "it “waits” \\ {1,2} \n" : null,
            Held = full,
            FirstDue = Instant.MinValue,
            Due = Instant.MaxValue,
            SettledAt = full ? Now : null,
            ClosedAt = full ? Now : null,
            CallOutcome = full ? "reached" : null,
            Plan = full ? new PlanReason("start", "P7D", "2027-03-01", true) : null,
            Checks = full ? [new Check(CheckKind.Consent, true, "express", "it “says” so")] : [],
            AttemptId = full ? Guid.Empty : null,
            Attempts = 2,
            LeasedUntil = full ? Now : null,
            LastAnswer = full ? "250 Zoë" : null,
        };

    private static MessageRow Message(Guid practice, Guid person, bool full) =>
        new()
        {
            TouchId = Guid.NewGuid(),
            PracticeId = practice,
            PersonId = person,
            Channel = full ? "text" : "email",
            MessageId = "m",
            ToAddress = "ida@example.com",
            FromName = "Ada",
            FromAddress = "",
            Subject = "",
            Html = new string('ß', full ? 9000 : 0),
            Text = "t\tt",
            SentAt = Now,
            DeliveredAt = full ? Now : null,
            Bounce = full ? "hard" : null,
            Links = full ? [new LetterLink("https://example.com/?a=\"b\"", "b", new() { ["tag"] = "x" })] : [],
        };

    private static string Told<T>(T row, params string[] but) =>
        string.Join(
            '\n',
            typeof(T)
                .GetProperties()
                .Where(p => !but.Contains(p.Name))
                .Select(p => $"{p.Name}: {(p.GetValue(row) is Instant at ? at.ToString() : JsonSerializer.Serialize(p.GetValue(row)))}")
        );

    [Theory]
    [InlineData(true)]
    [InlineData(false)]
    public async Task Rows_copied_at_once_read_like_rows_that_were_saved(bool full)
    {
        var (practice, person) = await SomebodyAsync();
        await using var db = database.For(practice);
        var (touch, message) = (Touch(practice, person, full), Message(practice, person, full));
        await db.CopyAsync([touch], default);
        await db.CopyAsync([message], default);
        await db.CopyAsync(
            [
                new EventRow
                {
                    PracticeId = practice,
                    PersonId = person,
                    At = Now,
                    Kind = "tag-added",
                    Data = new() { ["tag"] = "x" },
                },
            ],
            default
        );
        Assert.Empty(db.ChangeTracker.Entries());
        var (saved, sent) = (Touch(practice, person, full), Message(practice, person, full));
        db.Touches.Add(saved);
        db.Messages.Add(sent);
        db.Events.Add(
            new EventRow
            {
                PracticeId = practice,
                PersonId = person,
                At = Now,
                Kind = "tag-added",
                Data = new() { ["tag"] = "x" },
            }
        );
        await db.SaveChangesAsync();
        Assert.Equal(
            Told(await db.Touches.AsNoTracking().SingleAsync(t => t.Id == saved.Id), "Id"),
            Told(await db.Touches.AsNoTracking().SingleAsync(t => t.Id == touch.Id), "Id")
        );
        Assert.Equal(
            Told(await db.Messages.AsNoTracking().SingleAsync(m => m.TouchId == sent.TouchId), "TouchId"),
            Told(await db.Messages.AsNoTracking().SingleAsync(m => m.TouchId == message.TouchId), "TouchId")
        );
        var events = await db.Events.AsNoTracking().Where(e => e.Kind == "tag-added").OrderBy(e => e.Id).ToListAsync();
        Assert.Equal(Told(events[1], "Id"), Told(events[0], "Id"));
        Assert.True(events[0].Id < events[1].Id);
    }

    [Fact]
    public async Task Rows_of_which_one_is_wrong_are_not_written_and_a_transaction_takes_them_back()
    {
        var (practice, person) = await SomebodyAsync();
        await using var db = database.For(practice);
        var twin = Touch(practice, person, true);
        await Assert.ThrowsAsync<PostgresException>(() => db.CopyAsync([Touch(practice, person, true), twin, twin], default));
        Assert.Equal(0, await db.Touches.CountAsync());
        await using (await db.Database.BeginTransactionAsync())
        {
            await db.CopyAsync([twin], default);
            Assert.Equal(1, await db.Touches.CountAsync());
        }

        Assert.Equal(0, await db.Touches.CountAsync());
    }
}
