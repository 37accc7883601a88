using NodaTime;
using NodaTime.TimeZones;

namespace Germinal.Core.Time;

/// <summary>Local time to instants (rule 1.2; RFC 5545 §3.3.5 says the same).</summary>
public static class LocalClock
{
    private static readonly ZoneLocalMappingResolver Resolver = Resolvers.CreateMappingResolver(Resolvers.ReturnEarlier, Resolvers.ReturnForwardShifted);

    /// <summary>No clock is ever set by more, nor stands further from UTC.</summary>
    private static readonly Duration FarFromAChange = Duration.FromHours(48);

    /// <summary>
    /// The instant of a local date and time. One that does not exist (spring gap) moves forward by the length of the gap;
    /// one that exists twice (autumn) means the earlier instant.
    /// </summary>
    public static Instant At(LocalDateTime local, DateTimeZone zone)
    {
        // Far from any change of the clock there is one answer, and it is found without asking for the others.
        var asUtc = local.WithOffset(Offset.Zero).ToInstant();
        var interval = zone.GetZoneInterval(asUtc);
        var moment = asUtc - Duration.FromSeconds(interval.WallOffset.Seconds);
        var clear = (!interval.HasStart || moment - interval.Start > FarFromAChange) && (!interval.HasEnd || interval.End - moment > FarFromAChange);
        return clear ? moment : zone.ResolveLocal(local, Resolver).ToInstant();
    }

    /// <summary>The zone of an IANA name.</summary>
    /// <returns>The zone, or null when the tz database has none of that name.</returns>
    public static DateTimeZone? Zone(string? name) => string.IsNullOrWhiteSpace(name) ? null : DateTimeZoneProviders.Tzdb.GetZoneOrNull(name);
}
