using Germinal.Channels;
using Germinal.Channels.Letters;
using Germinal.Core.Broadcasts;
using Germinal.Core.Files;
using Germinal.Service.Letters;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Broadcasts;

/// <summary>A link of a broadcast, and whether anything is there.</summary>
/// <param name="Address">Where it leads.</param>
/// <param name="Problem">What was answered in the place of a page, in words; null where a page is there.</param>
public sealed record LinkLookedAt(string Address, string? Problem);

/// <summary>Looks at what a broadcast names by address: whether its links lead anywhere, and whether its pictures are too heavy.</summary>
/// <param name="fetch">Asks for pages elsewhere.</param>
public sealed class BroadcastAddresses(OutsideFetch fetch)
{
    /// <summary>The most links that are asked for at one look.</summary>
    public const int MostLinks = 30;

    /// <summary>Above this a picture is slow on a telephone, and some mail programs leave it out. Common practice, no source.</summary>
    private const int HeavyPicture = 1_000_000;

    /// <summary>Pictures of the practice's own that are heavy; those elsewhere are looked at by nobody.</summary>
    public static async Task<IReadOnlyList<Finding>> HeavyAsync(GerminalDb db, BroadcastPlan plan, CancellationToken stop)
    {
        var found = new List<Finding>();
        foreach (var address in BodiesOf(plan).SelectMany(b => LetterAddresses.In(b).Pictures).Distinct(StringComparer.Ordinal))
        {
            if (await OwnPictures.FindAsync(db, address, stop) is not { } id)
            {
                continue;
            }

            var bytes = await db.Images.Where(i => i.Id == id).Select(i => i.Content.Length).SingleAsync(stop);
            if (bytes > HeavyPicture)
            {
                found.Add(new Finding("/ways/0/body", FormattableString.Invariant($"A picture in it is {bytes / 1e6:0.0} MB; under 1 MB it is there at once, on a telephone too."), IsWarning: true));
            }
        }

        return found;
    }

    /// <summary>Asks for each link's page. Addresses that are filled for each reader cannot be asked for, and are left out.</summary>
    public async Task<IReadOnlyList<LinkLookedAt>> LookAsync(BroadcastPlan plan, CancellationToken stop)
    {
        var addresses = BodiesOf(plan).SelectMany(b => LetterAddresses.In(b).Links).Distinct(StringComparer.Ordinal).Where(a => a.StartsWith("http", StringComparison.OrdinalIgnoreCase) && !a.Contains("{{", StringComparison.Ordinal)).Take(MostLinks);
        return await Task.WhenAll(
            addresses.Select(async a =>
                OutsideFetch.AddressOf(a) is not { } address ? new LinkLookedAt(a, Said("it is no address of a page"))
                : (await fetch.GetAsync(address, "", "text/html,*/*", stop)).Problem is { } problem ? new LinkLookedAt(a, problem)
                : new LinkLookedAt(a, null)
            )
        );
    }

    private static IEnumerable<string> BodiesOf(BroadcastPlan plan) =>
        plan.Ways.Where(w => w.Kind == BroadcastWay.Kinds[0]).Select(w => w.Body).Concat(plan.Test?.Others.Select(o => o.Body) ?? []).Where(b => b.Length > 0);
}
