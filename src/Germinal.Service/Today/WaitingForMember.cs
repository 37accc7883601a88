using Germinal.Core.Engine;
using Germinal.Core.Time;
using Germinal.Service.Mails;
using Germinal.Service.People;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Today;

/// <summary>Who reads the day sheet.</summary>
/// <param name="Id">The member.</param>
/// <param name="IsPrincipal">Whether what is told to nobody by name is told to them.</param>
/// <param name="OnlyTheirs">Whether only what is about the people they look after is read.</param>
/// <param name="StandsInFor">Those for whom they stand in today: theirs is the reader's too.</param>
public sealed record Reader(Guid Id, bool IsPrincipal, bool OnlyTheirs = false, IReadOnlyList<Guid>? StandsInFor = null)
{
    /// <summary>The people they look after, and those nobody does: what is about these is everybody's.</summary>
    public IQueryable<Guid> Theirs(GerminalDb db)
    {
        Guid?[] owners = [Id, .. StandsInFor ?? []];
        return db.People.Where(p => owners.Contains(p.OwnerId) || p.OwnerId == null).Select(p => p.Id);
    }
}

/// <summary>
/// Something that waits for a member. Kind: refused, confirm, reply, unknown (whose person is a guess), inquiry, by-itself (sent in their
/// name), tell-me or forgery.
/// </summary>
/// <param name="Quoted">What an answer quotes; shown folded.</param>
/// <param name="Whole">Where the whole message lies as a file, if what is kept of it is not all; else null.</param>
/// <param name="Answer">Where a member's own mail or telephone program can answer it: mailto (RFC 6068) or sms (RFC 5724); else null.</param>
public sealed record WaitingDto(
    string Id,
    string Kind,
    PersonRef? Person,
    string At,
    string Text,
    string? Quoted = null,
    string? Whole = null,
    string? Answer = null
);

/// <summary>What waits for a member.</summary>
public static class WaitingForMember
{
    /// <summary>How much of each kind is read; the rest is only counted.</summary>
    internal const int Shown = 60;

    /// <summary>Letters of a long message that stand in a list; the rest is in the thread, or in the file.</summary>
    private const int Excerpt = 4_000;

    private static string Short(string text) => text.Length <= Excerpt ? text : Channels.IncomingText.Keep(text, Excerpt) + " …";

    /// <summary>Everything that waits for a member, oldest question first within its kind, and how much it is.</summary>
    public static async Task<(IReadOnlyList<WaitingDto> Shown, int InAll)> ReadAsync(
        GerminalDb db,
        Reader reader,
        IReadOnlyDictionary<Guid, string> programs,
        CancellationToken stop
    )
    {
        var inquired = db.Inquiries.AsNoTracking().Where(i => i.AnsweredAt == null);
        var received = db.Received.AsNoTracking().Where(r => r.SeenAt == null);
        var notices = db
            .Notices.AsNoTracking()
            .Where(n => n.SeenAt == null && (n.MemberId == reader.Id || (n.MemberId == null && reader.IsPrincipal)));
        var refused = db.Refusals.AsNoTracking().Where(r => r.DismissedAt == null);
        var byItself = db.OwnMails.AsNoTracking().Where(m => m.Kind == OwnMailKinds.ByItself && m.ReadAt == null && m.MemberId == reader.Id);
        var confirm = db.People.AsNoTracking().Where(p => p.DoNotContactToConfirm);
        if (reader.OnlyTheirs)
        {
            // Messages of nobody known are everybody's.
            var theirs = reader.Theirs(db);
            inquired = inquired.Where(i => i.OwnerId == reader.Id || (i.OwnerId == null && theirs.Contains(i.PersonId)));
            received = received.Where(r => r.PersonId == null || theirs.Contains(r.PersonId.Value));
            refused = refused.Where(r => theirs.Contains(r.PersonId));
            confirm = confirm.Where(p => theirs.Contains(p.Id));
        }

        var inquiries = await inquired.OrderBy(i => i.ReceivedAt).Take(Shown).ToListAsync(stop);
        var messages = await received.OrderBy(r => r.At).Take(Shown).ToListAsync(stop);
        var written = messages.Select(m => m.Id).ToList();
        var files = (
            await db.ReceivedFiles.AsNoTracking().Where(f => written.Contains(f.ReceivedId)).Select(f => f.ReceivedId).ToListAsync(stop)
        ).ToHashSet();
        var told = await notices.OrderBy(n => n.At).Take(Shown).ToListAsync(stop);
        var refusals = await refused.OrderByDescending(r => r.At).Take(Shown).ToListAsync(stop);
        var toConfirm = await confirm.OrderBy(p => p.SortName).Take(Shown).ToListAsync(stop);
        var inTheirName = await byItself.OrderBy(m => m.CreatedAt).Take(Shown).ToListAsync(stop);
        var ids = inquiries
            .Select(i => i.PersonId)
            .Concat(inTheirName.Select(m => m.PersonId).OfType<Guid>())
            .Concat(messages.Select(m => m.PersonId ?? m.GuessId).OfType<Guid>())
            .Concat(told.Select(n => n.PersonId).OfType<Guid>())
            .Concat(refusals.Select(r => r.PersonId))
            .Distinct()
            .ToList();
        var names = await db.NamesAsync(ids, stop);
        PersonRef? Ref(Guid? id) => id is { } known && names.TryGetValue(known, out var name) ? new PersonRef(known, name) : null;
        List<WaitingDto> all =
        [
            .. inquiries.Select(i => new WaitingDto(
                $"i{i.Id:N}",
                "inquiry",
                Ref(i.PersonId),
                i.ReceivedAt.Iso(),
                Say($"asked{(i.Form is null ? "" : Say($" by “{i.Form}”"))}: {Short(i.Text)}")
            )),
            .. inTheirName.Select(m => new WaitingDto(
                $"o{m.Id:N}",
                OwnMailKinds.ByItself,
                Ref(m.PersonId),
                m.CreatedAt.Iso(),
                Say($"was answered in your name by itself: “{m.Subject}”"),
                Short(m.Text)
            )),
            .. messages.Select(m => Written(m, Ref(m.PersonId ?? m.GuessId), files.Contains(m.Id))),
            .. told.Select(n => new WaitingDto($"n{n.Id}", n.Kind, Ref(n.PersonId), n.At.Iso(), n.Text)),
            .. refusals.Select(r => new WaitingDto(
                $"r{r.Id}",
                "refused",
                Ref(r.PersonId),
                r.At.Iso(),
                Say($"“{programs.GetValueOrDefault(r.ProgramId, r.Cause.Detail)}” did not start: {Why.Reason(r.Reason)}")
            )),
            .. toConfirm.Select(p => new WaitingDto(
                $"c{p.Id:N}",
                "confirm",
                new PersonRef(p.Id, p.Name),
                p.AddedAt.Iso(),
                Say($"the list said “{p.DoNotContactReason}”; nothing goes to them until you say otherwise")
            )),
        ];
        var inAll =
            await InAllAsync(inquired, inquiries.Count, stop)
            + await InAllAsync(byItself, inTheirName.Count, stop)
            + await InAllAsync(received, messages.Count, stop)
            + await InAllAsync(notices, told.Count, stop)
            + await InAllAsync(refused, refusals.Count, stop)
            + await InAllAsync(confirm, toConfirm.Count, stop);
        return (all, inAll);
    }

    /// <summary>They are counted only where not all of them have been read already.</summary>
    internal static async Task<int> InAllAsync<T>(IQueryable<T> all, int read, CancellationToken stop) => read < Shown ? read : await all.CountAsync(stop);

    /// <summary>“Re: …”, once.</summary>
    private static string Again(string subject) => subject.StartsWith("Re:", StringComparison.OrdinalIgnoreCase) ? subject : $"Re: {subject}";

    private static WaitingDto Written(ReceivedRow m, PersonRef? person, bool hasFile)
    {
        var (kind, text) = m.PersonId is null
            ? ("unknown", Say($"{m.FromAddress} wrote: {Short(m.Text)}"))
            : ("reply", m.Text.Length > 0 ? Short(m.Text) : m.Subject);
        return new WaitingDto(
            $"m{m.Id}",
            kind,
            person,
            m.At.Iso(),
            text,
            m.Quoted.Length > 0 ? Short(m.Quoted) : null,
            hasFile ? $"/api/received/{m.Id}/whole" : null,
            m.Channel == "text"
                ? $"sms:{m.FromAddress}"
                : $"mailto:{Uri.EscapeDataString(m.FromAddress).Replace("%40", "@", StringComparison.Ordinal)}?subject={Uri.EscapeDataString(Again(m.Subject))}"
        );
    }
}
