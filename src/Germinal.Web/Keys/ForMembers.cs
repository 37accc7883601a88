namespace Germinal.Web.Keys;

/// <summary>Marks endpoints that no key opens.</summary>
internal static class ForMembers
{
    /// <summary>What concerns a member's own person (their password, their calendar's secret address) is for no key, whatever it may.</summary>
    public static TBuilder ForMembersOnly<TBuilder>(this TBuilder builder)
        where TBuilder : IEndpointConventionBuilder => builder.WithMetadata(new KeyCalls.MembersOnly());
}
