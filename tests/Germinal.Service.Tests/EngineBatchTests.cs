using Germinal.Channels.Letters;
using Germinal.Service.Engine;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Tests;

public class EngineBatchTests
{
    [Fact]
    public async Task A_batch_is_read_again_only_for_whom_something_has_come()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var (ida, ben) = (await world.PersonAsync("Ida"), await world.PersonAsync("Ben"));
        Guid[] both = [ida.Id, ben.Id];
        await world.WorkAsync();
        var engines = new Engines(new LiquidLetters(), new ShelfReading());
        async Task<EngineBatch> WrittenAsync()
        {
            await using var db = world.Db();
            await using var transaction = await db.Database.BeginTransactionAsync();
            var batch = await EngineBatch.LoadAsync(db, both, engines, default);
            await db.Database.ExecuteSqlAsync($"UPDATE person_states SET next_due = next_due WHERE person_id = ANY({both})");
            await batch.NoteWriterAsync(db, default);
            await transaction.CommitAsync();
            return batch;
        }

        async Task<(EngineBatch Batch, IReadOnlySet<Guid> Unchanged)> AgainAsync(EngineBatch batch)
        {
            await using var db = world.Db();
            await using var transaction = await db.Database.BeginTransactionAsync();
            return await batch.LockAgainAsync(db, both, default);
        }

        var written = await WrittenAsync();
        var (same, unchanged) = await AgainAsync(written);
        Assert.Equal(both.Order(), unchanged.Order());
        Assert.Same(written.Facts[ida.Id], same.Facts[ida.Id]);

        // What has come and waits, and what has come and was taken in meanwhile, both make a person be read again.
        await world.DoAsync(d => d.PutTagAsync([ida.Id], "warm", default));
        foreach (var takenIn in new[] { false, true })
        {
            if (takenIn)
            {
                await world.WorkAsync();
            }

            var (again, standing) = await AgainAsync(written);
            Assert.Equal([ben.Id], standing);
            Assert.Contains("warm", again.Facts[ida.Id].Tags.ToArray());
        }

        // A batch nobody has written is read again as a whole.
        await using var other = world.Db();
        var (_, none) = await AgainAsync(await EngineBatch.LoadAsync(other, both, engines, default));
        Assert.Empty(none);
    }

    [Fact]
    public async Task A_letter_says_what_its_program_has_just_set()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var ida = await world.PersonAsync("Ida");
        await world.ProgramAsync(
            "Set and say",
            """
            "startsWhen":[{"kind":"tag-added","tag":"warm"}]
            """,
            """{"id":"s","kind":"change","when":{"from":"start","offset":"P0D"},"set":{"field":"custom:plan","value":"oak"}},{"id":"e","kind":"email","when":{"from":"previous","offset":"P0D"},"subject":"The {{ person.custom.plan }} plan","body":"b"}"""
        );
        await world.DoAsync(d => d.PutTagAsync([ida.Id], "warm", default));
        await world.WorkAsync();
        Assert.Equal(["The oak plan"], world.Mail.Sent.Select(m => m.Subject));
    }
}
