using Germinal.Core.Practices;
using Germinal.Core.Results;
using Germinal.Core.Time;
using Germinal.Service.Broadcasts;
using Germinal.Store;
using Germinal.Store.Rows;
using NodaTime;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Sending;

/// <summary>How mail fares that went by one domain, or to one.</summary>
/// <param name="Domain">The domain.</param>
/// <param name="Sent">How many emails went.</param>
/// <param name="Bounced">Of them, those that came back.</param>
/// <param name="Complained">Of those that arrived, those somebody complained about.</param>
/// <param name="Stands">good, watch or bad: by complaints against <see cref="BrakeLimits.ComplaintAim"/> and <see cref="BrakeLimits.ComplaintMost"/>, and by what came back against the practice's limit.</param>
/// <param name="Says">What that means, in a sentence.</param>
public sealed record DomainHealth(string Domain, int Sent, ResultLine Bounced, ResultLine Complained, string Stands, string Says);

/// <summary>The brake.</summary>
/// <param name="On">Whether it stops mail by itself.</param>
/// <param name="BouncePercent">Above so many in a hundred that came back.</param>
/// <param name="ComplaintPercent">Above so many in a hundred that were complained about.</param>
/// <param name="StoppedAt">Since when it has stopped; null where mail goes.</param>
/// <param name="Why">Why it has.</param>
/// <param name="Days">How many days it looks at.</param>
/// <param name="Least">Under so many emails it stops nothing.</param>
public sealed record BrakeDto(bool On, decimal BouncePercent, decimal ComplaintPercent, string? StoppedAt, string Why, int Days, int Least);

/// <summary>A key mail is signed with.</summary>
/// <param name="Selector">Its name.</param>
/// <param name="Name">Where its record stands.</param>
/// <param name="Value">What the record says.</param>
/// <param name="MadeAt">When it was made.</param>
/// <param name="UsedFrom">Since when it signs; null while its record is still to be set.</param>
/// <param name="EndedAt">When another took over.</param>
/// <param name="MayGo">Whether its record may be taken down.</param>
public sealed record SigningKeyDto(string Selector, string Name, string Value, string MadeAt, string? UsedFrom, string? EndedAt, bool MayGo);

/// <summary>A domain the practice's members write from.</summary>
/// <param name="Domain">The domain.</param>
/// <param name="Keys">Its keys, the newest first.</param>
public sealed record OwnDomain(string Domain, IReadOnlyList<SigningKeyDto> Keys);

/// <summary>The health of sending over the last thirty days.</summary>
/// <param name="Days">How many days are looked at.</param>
/// <param name="Aim">Complaints in a hundred that large mailbox providers want to see at most.</param>
/// <param name="Most">Complaints in a hundred from which on they refuse mail.</param>
/// <param name="By">By the domain it went from.</param>
/// <param name="To">By the domain it went to, the largest first.</param>
/// <param name="Brake">The brake.</param>
/// <param name="Own">Domains members write from, with their keys.</param>
public sealed record SendingHealthDto(int Days, decimal Aim, decimal Most, IReadOnlyList<DomainHealth> By, IReadOnlyList<DomainHealth> To, BrakeDto Brake, IReadOnlyList<OwnDomain> Own);

/// <summary>How the practice's mail fares.</summary>
public static class SendingHealth
{
    /// <summary>So many days are looked at.</summary>
    public const int Days = 30;

    private const int MostReceivers = 20;

    private sealed record Counted(string Domain, int Sent, int Bounced, int Complained);

    /// <summary>Reads it.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="practice">The practice.</param>
    /// <param name="settings">Its settings.</param>
    /// <param name="now">Practice time.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task<SendingHealthDto> ReadAsync(GerminalDb db, Practice practice, PracticeSettings settings, Instant now, CancellationToken stop)
    {
        var since = now - Duration.FromDays(Days);
        var by = await db
            .Database.SqlQuery<Counted>(
                $"""
                SELECT lower(split_part(from_address, '@', 2)) AS domain, count(*)::int AS sent, count(bounced_at)::int AS bounced, count(complained_at)::int AS complained
                FROM messages WHERE practice_id = {db.PracticeId} AND channel = 'email' AND member_id IS NULL AND sent_at >= {since} AND sent_at <= {now} GROUP BY 1 ORDER BY 2 DESC, 1
                """
            )
            .ToListAsync(stop);
        var to = await db
            .Database.SqlQuery<Counted>(
                $"""
                SELECT lower(split_part(to_address, '@', 2)) AS domain, count(*)::int AS sent, count(bounced_at)::int AS bounced, count(complained_at)::int AS complained
                FROM messages WHERE practice_id = {db.PracticeId} AND channel = 'email' AND member_id IS NULL AND sent_at >= {since} AND sent_at <= {now} GROUP BY 1 ORDER BY 2 DESC, 1 LIMIT {MostReceivers}
                """
            )
            .ToListAsync(stop);
        var brake = settings.Brake;
        return new SendingHealthDto(
            Days,
            BrakeLimits.ComplaintAim,
            BrakeLimits.ComplaintMost,
            [.. by.Select(c => Of(c, brake))],
            [.. to.Select(c => Of(c, brake))],
            new BrakeDto(brake.On, brake.BouncePercent, brake.ComplaintPercent, brake.StoppedAt?.Iso(), brake.Why, SendingBrake.Days, SendingBrake.Least),
            [.. DomainsOf(practice).Select(d => new OwnDomain(d, SigningKeys.Of(settings, d, now)))]
        );
    }

    /// <summary>Domains members, and the practice itself, write from.</summary>
    public static IReadOnlyList<string> DomainsOf(Practice practice) =>
        [
            .. practice
                .Members.Append(practice.Itself)
                .OfType<Member>()
                .Select(m => m.Email)
                .Where(e => e.Contains('@', StringComparison.Ordinal))
                .Select(e => e[(e.LastIndexOf('@') + 1)..].ToLowerInvariant())
                .Distinct(StringComparer.Ordinal)
                .Order(StringComparer.Ordinal),
        ];

    private static DomainHealth Of(Counted counted, BrakeSettings brake)
    {
        var delivered = counted.Sent - counted.Bounced;
        var (bounced, complained) = (ResultLine.Some("bounced", counted.Bounced, counted.Sent), ResultLine.Some("complained", counted.Complained, delivered));

        // Said of what is told apart from the limit, else of too little to say.
        var (stands, says) =
            counted.Complained >= SendingBrake.LeastCases && complained.Share * 100 >= (double)BrakeLimits.ComplaintMost ? ("bad", Said("From here on large mailbox providers refuse mail. Write only to those who asked for it, and less often."))
            : counted.Bounced >= SendingBrake.LeastCases && bounced.Share * 100 >= (double)brake.BouncePercent ? ("bad", Said("So much comes back that receivers take it for mail to bought addresses. Look through the list."))
            : counted.Complained > 0 && complained.Share * 100 >= (double)BrakeLimits.ComplaintAim ? ("watch", complained.Low * 100 >= (double)BrakeLimits.ComplaintAim ? Said("More complain than large mailbox providers want to see.") : Said("It is above what large mailbox providers want to see, and so few that it may be chance."))
            : counted.Sent < SendingBrake.Least ? ("good", Said("Too little went to say much."))
            : ("good", Said("As it should be."));
        return new DomainHealth(counted.Domain, counted.Sent, bounced, complained, stands, says);
    }
}
