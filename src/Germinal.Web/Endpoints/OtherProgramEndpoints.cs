using Germinal.Channels;
using Germinal.Core.Time;
using Germinal.Service;
using Germinal.Service.Engine;
using Germinal.Service.Import;
using Germinal.Service.OtherPrograms;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Germinal.Web.Journal;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Web.Endpoints;

/// <summary>A key of another program; what it is is shown once, when it is made.</summary>
/// <param name="Id">Its id.</param>
/// <param name="Name">What it is called.</param>
/// <param name="Begins">How it begins.</param>
/// <param name="For">The member who made it, and for whom it works.</param>
/// <param name="Rights">What it may.</param>
/// <param name="CreatedAt">When it was made, machine time.</param>
/// <param name="ExpiresAt">When it ends by itself.</param>
/// <param name="UsedAt">When it was used last; null for never.</param>
/// <param name="Ended">Whether it opens nothing any more.</param>
public sealed record ApiKeyDto(Guid Id, string Name, string Begins, string For, IReadOnlyList<string> Rights, string CreatedAt, string ExpiresAt, string? UsedAt, bool Ended);

/// <summary>A right that a key can be given.</summary>
/// <param name="Name">Its name.</param>
/// <param name="What">In words.</param>
public sealed record KeyRightDto(string Name, string What);

/// <summary>The practice's keys, the newest first.</summary>
/// <param name="Keys">The keys.</param>
/// <param name="Rights">What a key can be given.</param>
/// <param name="LongestDays">Days after which a key ends at the latest.</param>
/// <param name="CallsAMinute">How often one may be used.</param>
public sealed record KeysDto(IReadOnlyList<ApiKeyDto> Keys, IReadOnlyList<KeyRightDto> Rights, int LongestDays, int CallsAMinute);

/// <summary>A new key: the only time it is shown.</summary>
/// <param name="Key">The key.</param>
/// <param name="Keys">All of them.</param>
public sealed record KeyMadeDto(string Key, KeysDto Keys);

/// <summary>An address that is told what happens.</summary>
/// <param name="Id">Its id.</param>
/// <param name="Address">The address.</param>
/// <param name="Kinds">What it is told.</param>
/// <param name="CreatedAt">Since when, machine time.</param>
/// <param name="EndedAt">Since when no longer; null while it is.</param>
/// <param name="Why">Why no longer; empty where a member ended it.</param>
/// <param name="Waiting">How many calls wait to be taken.</param>
/// <param name="GivenUp">How many of the last two weeks were never taken.</param>
public sealed record HookDto(Guid Id, string Address, IReadOnlyList<string> Kinds, string CreatedAt, string? EndedAt, string Why, int Waiting, int GivenUp);

/// <summary>Something that can be told.</summary>
/// <param name="Kind">Its word.</param>
/// <param name="Means">What it means.</param>
public sealed record HookKindDto(string Kind, string Means);

/// <summary>Who is told what.</summary>
public sealed record HooksDto(IReadOnlyList<HookDto> Hooks, IReadOnlyList<HookKindDto> Kinds);

/// <summary>A new address that is told: the only time its key is shown.</summary>
/// <param name="Secret">The key its calls are signed with.</param>
/// <param name="Hooks">All of them.</param>
public sealed record HookMadeDto(string Secret, HooksDto Hooks);

/// <summary>Something that was told, or is to be.</summary>
/// <param name="Id">Its id.</param>
/// <param name="MessageId">What it is known by to the other side.</param>
/// <param name="Kind">What happened.</param>
/// <param name="At">When it was written, machine time.</param>
/// <param name="Attempts">How often it was told.</param>
/// <param name="TakenAt">When it was taken; null where it was not.</param>
/// <param name="NextAt">When it is told next; null for never.</param>
/// <param name="LastAnswer">What the other side answered last.</param>
/// <param name="Body">What is told.</param>
public sealed record HookCallDto(long Id, string MessageId, string Kind, string At, int Attempts, string? TakenAt, string? NextAt, string LastAnswer, string Body);

/// <summary>Some of what was told, the newest first.</summary>
/// <param name="Calls">The calls.</param>
/// <param name="Before">What to ask for next; null where there is no more.</param>
public sealed record HookCallsDto(IReadOnlyList<HookCallDto> Calls, long? Before);

/// <summary>Keys of other programs, and what those are told.</summary>
public static class OtherProgramEndpoints
{
    private const int MostKeys = 100;
    private const int MostHooks = 20;
    private const int AtOnce = 50;

    /// <param name="Name">What it is called.</param>
    /// <param name="Rights">What it may.</param>
    /// <param name="Days">After how many days it ends by itself.</param>
    public sealed record KeyBody([AtMost(Lengths.Name)] string Name = "", [AtMost(40, Items = 50)] IReadOnlyList<string>? Rights = null, int Days = 0);

    /// <param name="Address">Where it is told.</param>
    /// <param name="Kinds">What.</param>
    public sealed record HookBody([AtMost(2000)] string Address = "", [AtMost(40, Items = 100)] IReadOnlyList<string>? Kinds = null);

    public static void Map(IEndpointRouteBuilder app)
    {
        var keys = app.MapGroup("/api/keys").WithTags("other programs").RequireAuthorization(Rights.KeepPrograms);
        keys.MapGet("", ReadKeysAsync);
        keys.MapPost("", MakeKeyAsync);
        keys.MapPost("/{id:guid}/end", EndKeyAsync);
        var hooks = app.MapGroup("/api/hooks").WithTags("other programs").RequireAuthorization(Rights.KeepPrograms);
        hooks.MapGet("", ReadHooksAsync);
        hooks.MapPost("", MakeHookAsync);
        hooks.MapPut("/{id:guid}", ChangeHookAsync);
        hooks.MapPost("/{id:guid}/end", EndHookAsync);
        hooks.MapGet("/{id:guid}/calls", ReadCallsAsync);
        hooks.MapPost("/calls/{id:long}/again", TellAgainAsync);
    }

    private static Instant Now => SystemClock.Instance.GetCurrentInstant();

    private static async Task<KeysDto> ReadKeysAsync(GerminalDb db, Settings settings, CancellationToken stop)
    {
        var now = Now;
        var names = await db.Users.AsNoTracking().Where(u => u.PracticeId == db.PracticeId).Select(u => new { u.Id, u.Name }).ToDictionaryAsync(u => u.Id, u => u.Name, stop);
        var keys = await db.ApiKeys.AsNoTracking().OrderByDescending(k => k.CreatedAt).ToListAsync(stop);
        return new KeysDto(
            [
                .. keys.Select(k => new ApiKeyDto(
                    k.Id,
                    k.Name,
                    k.Begins,
                    names.GetValueOrDefault(k.MemberId, ""),
                    k.Rights,
                    k.CreatedAt.Iso(),
                    k.ExpiresAt.Iso(),
                    k.UsedAt?.Iso(),
                    k.EndedAt is not null || k.ExpiresAt <= now
                )),
            ],
            [.. Rights.ForKeys.Select(r => new KeyRightDto(r.Name, Said(r.What)))],
            ApiKeys.LongestDays,
            settings.KeyCalls
        );
    }

    private static async Task<Results<Ok<KeyMadeDto>, ValidationProblem, ProblemHttpResult>> MakeKeyAsync(
        KeyBody body,
        GerminalDb db,
        Caller caller,
        Settings settings,
        JournalNote note,
        CancellationToken stop
    )
    {
        var (name, rights) = (CellReading.Clean(body.Name), (body.Rights ?? []).Distinct(StringComparer.Ordinal).ToList());
        var wrong = new List<(string Field, string Message)>();
        if (name.Length == 0)
        {
            wrong.Add(("name", Said("Say what the key is for, such as the program that will use it.")));
        }

        if (rights.Count == 0 || rights.Find(r => !Rights.ForKeys.Any(k => k.Name == r)) is not null)
        {
            wrong.Add(("rights", Say($"Say what the key may: {string.Join(", ", Rights.ForKeys.Select(r => r.Name))}.")));
        }

        if (body.Days is < 1 or > ApiKeys.LongestDays)
        {
            wrong.Add(("days", Say($"A key ends by itself after 1 to {ApiKeys.LongestDays} days; 365 would be usual.")));
        }

        if (wrong.Count > 0)
        {
            return Problems.Fields(wrong);
        }

        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        await Service.House.SettingsChange.LockAsync(db, stop);
        var now = Now;
        if (await db.ApiKeys.CountAsync(k => k.EndedAt == null && k.ExpiresAt > now, stop) >= MostKeys)
        {
            return Problems.Conflict(Say($"There are {MostKeys} keys already; end one that is not used."));
        }

        var (key, begins, mark) = ApiKeys.Draw();
        db.ApiKeys.Add(
            new ApiKeyRow
            {
                Id = Guid.NewGuid(),
                PracticeId = caller.PracticeId,
                MemberId = caller.Id,
                Name = name,
                Begins = begins,
                Mark = mark,
                Rights = rights,
                CreatedAt = now,
                ExpiresAt = now + Duration.FromDays(body.Days),
            }
        );
        await db.SaveChangesAsync(stop);
        await transaction.CommitAsync(stop);
        note.Say(Say($"“{name}”, which may {string.Join(", ", rights)}, for {body.Days} days"));
        return TypedResults.Ok(new KeyMadeDto(key, await ReadKeysAsync(db, settings, stop)));
    }

    private static async Task<Results<Ok<KeysDto>, NotFound>> EndKeyAsync(Guid id, GerminalDb db, Settings settings, JournalNote note, CancellationToken stop)
    {
        if (await db.ApiKeys.AsNoTracking().FirstOrDefaultAsync(k => k.Id == id, stop) is not { } key)
        {
            return TypedResults.NotFound();
        }

        var now = Now;
        await db.ApiKeys.Where(k => k.Id == id && k.EndedAt == null).ExecuteUpdateAsync(u => u.SetProperty(k => k.EndedAt, now), stop);
        note.Say($"“{key.Name}”");
        return TypedResults.Ok(await ReadKeysAsync(db, settings, stop));
    }

    private static async Task<HooksDto> ReadHooksAsync(GerminalDb db, CancellationToken stop)
    {
        var hooks = await db
            .Hooks.AsNoTracking()
            .OrderBy(h => h.CreatedAt)
            .Select(h => new
            {
                Hook = h,
                Waiting = db.HookCalls.Count(c => c.HookId == h.Id && c.TakenAt == null && c.NextAt < Instant.MaxValue),
                GivenUp = db.HookCalls.Count(c => c.HookId == h.Id && c.TakenAt == null && c.NextAt == Instant.MaxValue),
            })
            .ToListAsync(stop);
        return new HooksDto(
            [.. hooks.Select(h => new HookDto(h.Hook.Id, h.Hook.Address, h.Hook.Kinds, h.Hook.CreatedAt.Iso(), h.Hook.EndedAt?.Iso(), h.Hook.Why, h.Waiting, h.GivenUp))],
            [.. HookKinds.All.Select(k => new HookKindDto(k.Kind, Said(k.Means)))]
        );
    }

    private static IEnumerable<(string Field, string Message)> WrongWith(HookBody body, bool withAddress)
    {
        if (withAddress && OutsideFetch.AddressOf(body.Address) is not { Fragment.Length: 0 })
        {
            yield return ("address", Say($"“{body.Address}” is no address that can be told anything; https://hooks.example.com/germinal would be."));
        }

        if (body.Kinds is not { Count: > 0 } kinds || kinds.Any(k => !HookKinds.All.Any(h => h.Kind == k)))
        {
            yield return ("kinds", Say($"Say what it is told: {string.Join(", ", HookKinds.All.Select(k => k.Kind))}."));
        }
    }

    private static async Task<Results<Ok<HookMadeDto>, ValidationProblem, ProblemHttpResult>> MakeHookAsync(
        HookBody body,
        GerminalDb db,
        Caller caller,
        Secrets secrets,
        JournalNote note,
        CancellationToken stop
    )
    {
        var wrong = WrongWith(body, true).ToList();
        if (wrong.Count > 0)
        {
            return Problems.Fields(wrong);
        }

        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        await Service.House.SettingsChange.LockAsync(db, stop);
        if (await db.Hooks.CountAsync(h => h.EndedAt == null, stop) >= MostHooks)
        {
            return Problems.Conflict(Say($"There are {MostHooks} addresses already; end one that is not needed."));
        }

        var secret = HookSecret.Draw();
        var address = OutsideFetch.AddressOf(body.Address)!.ToString();
        db.Hooks.Add(
            new HookRow
            {
                Id = Guid.NewGuid(),
                PracticeId = caller.PracticeId,
                Address = address,
                SealedSecret = secrets.Seal(secret),
                Kinds = [.. body.Kinds!.Distinct(StringComparer.Ordinal)],
                CreatedAt = Now,
            }
        );
        await db.SaveChangesAsync(stop);
        await transaction.CommitAsync(stop);
        note.Say(address);
        return TypedResults.Ok(new HookMadeDto(secret, await ReadHooksAsync(db, stop)));
    }

    private static async Task<Results<Ok<HooksDto>, NotFound, ValidationProblem>> ChangeHookAsync(Guid id, HookBody body, GerminalDb db, JournalNote note, CancellationToken stop)
    {
        if (await db.Hooks.FirstOrDefaultAsync(h => h.Id == id && h.EndedAt == null, stop) is not { } hook)
        {
            return TypedResults.NotFound();
        }

        var wrong = WrongWith(body, false).ToList();
        if (wrong.Count > 0)
        {
            return Problems.Fields(wrong);
        }

        hook.Kinds = [.. body.Kinds!.Distinct(StringComparer.Ordinal)];
        await db.SaveChangesAsync(stop);
        note.Say(hook.Address);
        return TypedResults.Ok(await ReadHooksAsync(db, stop));
    }

    private static async Task<Results<Ok<HooksDto>, NotFound>> EndHookAsync(Guid id, GerminalDb db, JournalNote note, CancellationToken stop)
    {
        if (await db.Hooks.AsNoTracking().FirstOrDefaultAsync(h => h.Id == id, stop) is not { } hook)
        {
            return TypedResults.NotFound();
        }

        var now = Now;
        await db.Hooks.Where(h => h.Id == id && h.EndedAt == null).ExecuteUpdateAsync(u => u.SetProperty(h => h.EndedAt, now), stop);
        note.Say(hook.Address);
        return TypedResults.Ok(await ReadHooksAsync(db, stop));
    }

    /// <summary>What an address was told, fifty at a time.</summary>
    private static async Task<Results<Ok<HookCallsDto>, NotFound>> ReadCallsAsync(Guid id, GerminalDb db, CancellationToken stop, long? before = null)
    {
        if (!await db.Hooks.AnyAsync(h => h.Id == id, stop))
        {
            return TypedResults.NotFound();
        }

        var calls = await db
            .HookCalls.AsNoTracking()
            .Where(c => c.HookId == id && (before == null || c.Id < before))
            .OrderByDescending(c => c.Id)
            .Take(AtOnce + 1)
            .ToListAsync(stop);
        return TypedResults.Ok(
            new HookCallsDto(
                [
                    .. calls
                        .Take(AtOnce)
                        .Select(c => new HookCallDto(
                            c.Id,
                            HookTelling.MessageId(c.Id),
                            c.Kind,
                            c.At.Iso(),
                            c.Attempts,
                            c.TakenAt?.Iso(),
                            c.TakenAt is not null || c.NextAt == Instant.MaxValue ? null : c.NextAt.Iso(),
                            c.LastAnswer,
                            c.Body
                        )),
                ],
                calls.Count > AtOnce ? calls[AtOnce - 1].Id : null
            )
        );
    }

    /// <summary>Tells it again, taken or not, under the same id.</summary>
    private static async Task<Results<NoContent, NotFound, ProblemHttpResult>> TellAgainAsync(long id, GerminalDb db, CancellationToken stop)
    {
        if (await db.HookCalls.AsNoTracking().FirstOrDefaultAsync(c => c.Id == id, stop) is not { } call)
        {
            return TypedResults.NotFound();
        }

        if (await db.Hooks.AnyAsync(h => h.Id == call.HookId && h.EndedAt != null, stop))
        {
            return Problems.Conflict(Said("This address is told nothing any more; add it anew first."));
        }

        var now = Now;
        await db
            .HookCalls.Where(c => c.Id == id)
            .ExecuteUpdateAsync(u => u.SetProperty(c => c.NextAt, now).SetProperty(c => c.Attempts, 0).SetProperty(c => c.TakenAt, (Instant?)null), stop);
        return TypedResults.NoContent();
    }
}
