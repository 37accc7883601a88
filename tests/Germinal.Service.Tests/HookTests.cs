using System.Collections.Concurrent;
using System.Net;
using System.Security.Cryptography;
using System.Text;
using Germinal.Channels.Hooks;
using Germinal.Channels.Mail;
using Germinal.Service.Engine;
using Germinal.Service.OtherPrograms;
using Germinal.Store.Rows;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.DataProtection;
using Microsoft.AspNetCore.Http;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Tests;

/// <summary>What another program is told: signed, once where it takes it, for a day where it does not, and nowhere it should not be.</summary>
public sealed class HookTests : IAsyncLifetime
{
    private sealed record Told(string Id, long Timestamp, string Signature, string Body);

    private static readonly Instant Start = Instant.FromUtc(2027, 3, 1, 9, 0);
    private readonly ConcurrentQueue<Told> told = new();
    private readonly Secrets secrets = new(new EphemeralDataProtectionProvider());
    private readonly string secret = HookSecret.Draw();
    private WebApplication elsewhere = null!;
    private Func<Told, int> answer = _ => 204;

    public async Task InitializeAsync()
    {
        var builder = WebApplication.CreateSlimBuilder();
        elsewhere = builder.Build();
        elsewhere.Urls.Add("http://127.0.0.1:0");
        elsewhere.MapPost(
            "/told",
            async (HttpContext http) =>
            {
                using var reader = new StreamReader(http.Request.Body);
                string Head(string name) => http.Request.Headers[name].ToString();
                var call = new Told(Head("webhook-id"), long.Parse(Head("webhook-timestamp"), System.Globalization.CultureInfo.InvariantCulture), Head("webhook-signature"), await reader.ReadToEndAsync());
                told.Enqueue(call);
                http.Response.StatusCode = answer(call);
            }
        );
        await elsewhere.StartAsync();
    }

    public async Task DisposeAsync() => await elsewhere.DisposeAsync();

    private HookTelling Telling(World world, bool allowPrivate = true) => new(world.Database, new HookCaller(new ServerLine(allowPrivate)), secrets);

    /// <summary>A practice in which somebody is told of tags, and so many tags were put on.</summary>
    private async Task<World> WorldAsync(int tags)
    {
        var world = await World.AtAsync("2027-03-01T09:00");
        await using var db = world.Db();
        db.Hooks.Add(
            new HookRow
            {
                Id = Guid.NewGuid(),
                PracticeId = world.Practice,
                Address = elsewhere.Urls.First() + "/told",
                SealedSecret = secrets.Seal(secret),
                Kinds = [EventKinds.TagAdded],
                CreatedAt = Start,
            }
        );
        await db.SaveChangesAsync();
        var person = await world.PersonAsync("Ida");
        for (var i = 0; i < tags; i++)
        {
            db.Events.Add(
                new EventRow
                {
                    PracticeId = world.Practice,
                    PersonId = person.Id,
                    At = Start,
                    Kind = EventKinds.TagAdded,
                    Data = new() { ["tag"] = $"T{i}" },
                }
            );
            db.Events.Add(
                new EventRow
                {
                    PracticeId = world.Practice,
                    PersonId = person.Id,
                    At = Start,
                    Kind = EventKinds.Remark,
                }
            );
        }

        await db.SaveChangesAsync();
        await db.HookCalls.ExecuteUpdateAsync(u => u.SetProperty(c => c.NextAt, Start).SetProperty(c => c.At, Start));
        return world;
    }

    [Fact]
    public async Task What_happened_is_told_once_signed_by_its_key_by_however_many_workers()
    {
        await using var world = await WorldAsync(50);
        await Task.WhenAll(Telling(world).TellDueAsync(Start, default), Telling(world).TellDueAsync(Start, default), Telling(world).TellDueAsync(Start, default));
        Assert.Equal(50, told.Count);
        Assert.Equal(50, told.Select(t => t.Id).Distinct().Count());
        Assert.All(
            told,
            t =>
            {
                // Standard Webhooks: HMAC-SHA256 over id.timestamp.body with the bytes of the secret, in base64.
                var key = Convert.FromBase64String(secret["whsec_".Length..]);
                Assert.Equal($"v1,{Convert.ToBase64String(HMACSHA256.HashData(key, Encoding.UTF8.GetBytes($"{t.Id}.{t.Timestamp}.{t.Body}")))}", t.Signature);
                Assert.Contains("\"type\": \"tag-added\"", t.Body, StringComparison.Ordinal);
            }
        );
        Assert.Equal(0, await Telling(world).TellDueAsync(Start + Duration.FromDays(2), default));
    }

    [Fact]
    public async Task What_is_not_taken_is_told_again_for_a_day_the_same_each_time_and_then_given_up()
    {
        await using var world = await WorldAsync(1);
        answer = _ => 503;
        var telling = Telling(world);
        var now = Start;
        for (var i = 0; i < 50; i++)
        {
            await telling.TellDueAsync(now, default);
            await using var db = world.Db();
            var next = (await db.HookCalls.SingleAsync()).NextAt;
            if (next == Instant.MaxValue)
            {
                break;
            }

            Assert.True(next > now);
            now = next;
        }

        Assert.InRange((now - Start).TotalHours, 20, 28);
        Assert.InRange(told.Count, 6, 12);
        Assert.Single(told.Select(t => (t.Id, t.Body)).Distinct());
        await using (var db = world.Db())
        {
            var call = await db.HookCalls.SingleAsync();
            Assert.Contains("503", call.LastAnswer, StringComparison.Ordinal);
            Assert.Null(call.TakenAt);

            // Asked for again by hand, it is told under the same id.
            answer = _ => 200;
            await db.HookCalls.ExecuteUpdateAsync(u => u.SetProperty(c => c.NextAt, now).SetProperty(c => c.Attempts, 0));
        }

        Assert.Equal(1, await telling.TellDueAsync(now, default));
        Assert.Single(told.Select(t => (t.Id, t.Body)).Distinct());
        await using var after = world.Db();
        Assert.Equal(now, (await after.HookCalls.SingleAsync()).TakenAt);
    }

    [Fact]
    public async Task Nobody_waits_behind_one_that_takes_nothing()
    {
        await using var world = await WorldAsync(200);
        answer = _ => 500;
        await Telling(world).TellDueAsync(Start, default);
        Assert.InRange(told.Count, 1, 40);
        await using var db = world.Db();
        Assert.Equal(200, await db.HookCalls.CountAsync(c => c.TakenAt == null && c.NextAt > Start && c.NextAt < Instant.MaxValue));

        // Once it takes them, all come.
        answer = _ => 200;
        for (var i = 1; i <= 5; i++)
        {
            await Telling(world).TellDueAsync(Start + Duration.FromMinutes(2 * i), default);
        }

        Assert.Equal(200, await db.HookCalls.CountAsync(c => c.TakenAt != null));
    }

    [Fact]
    public async Task A_worker_that_dies_while_it_tells_is_followed_by_another()
    {
        await using var world = await WorldAsync(1);
        using var dies = new CancellationTokenSource();
        answer = _ =>
        {
            dies.Cancel();
            return 200;
        };
        await Assert.ThrowsAnyAsync<OperationCanceledException>(() => Telling(world).TellDueAsync(Start, dies.Token));
        answer = _ => 200;
        Assert.Equal(0, await Telling(world).TellDueAsync(Start + Duration.FromSeconds(30), default));
        Assert.Equal(1, await Telling(world).TellDueAsync(Start + Duration.FromMinutes(3), default));
        Assert.Single(told.Select(t => t.Id).Distinct());
    }

    [Fact]
    public async Task Gone_ends_it_and_this_machine_is_never_told()
    {
        await using var world = await WorldAsync(1);
        Assert.Equal(1, await Telling(world, allowPrivate: false).TellDueAsync(Start, default));
        Assert.Empty(told);
        await using (var db = world.Db())
        {
            Assert.Null((await db.HookCalls.SingleAsync()).TakenAt);
        }

        answer = _ => (int)HttpStatusCode.Gone;
        await Telling(world).TellDueAsync(Start + Duration.FromHours(1), default);
        await using var after = world.Db();
        Assert.NotNull((await after.Hooks.SingleAsync()).EndedAt);
        Assert.Equal(0, await Telling(world).TellDueAsync(Start + Duration.FromDays(1), default));
    }
}
