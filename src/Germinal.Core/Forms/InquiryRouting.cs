using NodaTime;

namespace Germinal.Core.Forms;

/// <summary>To whom a rule gives an inquiry. Closed.</summary>
public enum GivenTo
{
    /// <summary>Whoever looks after the person already; nobody where nobody does.</summary>
    WhoKnowsThem,

    /// <summary>The first of the rule's members who is there.</summary>
    TheFirst,

    /// <summary>The rule's members in turn: of those who are there the one who was given one longest ago.</summary>
    InTurn,
}

/// <summary>A rule of who gets an inquiry; what it does not name it does not ask about.</summary>
/// <param name="Form">Only by this form, compared without regard to case.</param>
/// <param name="Topic">Only about this topic.</param>
/// <param name="Area">Only from this area.</param>
/// <param name="To">To whom.</param>
/// <param name="Members">Of <see cref="GivenTo.TheFirst"/> and <see cref="GivenTo.InTurn"/>: among whom, in order.</param>
public sealed record RoutingRule(string? Form, string? Topic, string? Area, GivenTo To, IReadOnlyList<Guid> Members);

/// <summary>What is known of an inquiry when somebody has to get it.</summary>
/// <param name="Form">The form it came by; null for another way.</param>
/// <param name="Topic">What it is about; null where nobody knows.</param>
/// <param name="Areas">What where it comes from is called: town, state, postal code; none where nobody knows.</param>
/// <param name="Owner">Who looks after the person already; null for nobody.</param>
public sealed record InquiryFacts(string? Form, string? Topic, IReadOnlyList<string> Areas, Guid? Owner);

/// <summary>Who is there, who stands in for whom, and who was given one last.</summary>
/// <param name="Present">Whether a member is there that day.</param>
/// <param name="DeputyOf">Who stands in for a member; null for nobody.</param>
/// <param name="LastGiven">When a member was given an inquiry last; never for one who is not named.</param>
public sealed record InquiryDesk(Func<Guid, bool> Present, Func<Guid, Guid?> DeputyOf, IReadOnlyDictionary<Guid, Instant> LastGiven);

/// <summary>Who gets an inquiry, and by which rule.</summary>
/// <param name="Member">Who.</param>
/// <param name="Rule">The place of the rule that said so, from 0; null where none did and whoever stands in for the practice gets it.</param>
/// <param name="InFor">The member they stand in for, who is away; null where they are meant themselves.</param>
public sealed record Routed(Guid Member, int? Rule, Guid? InFor);

/// <summary>Decides who gets an inquiry: the first rule that says somebody who is there, or whose deputy is.</summary>
public static class InquiryRouting
{
    /// <summary>Goes through the rules in their order.</summary>
    /// <param name="rules">The practice's.</param>
    /// <param name="inquiry">What is known of it.</param>
    /// <param name="desk">Who is there.</param>
    /// <param name="otherwise">Who gets it where no rule says anybody who is there: it never waits for nobody.</param>
    public static Routed Of(IReadOnlyList<RoutingRule> rules, InquiryFacts inquiry, InquiryDesk desk, Guid otherwise)
    {
        for (var i = 0; i < rules.Count; i++)
        {
            if (Fits(rules[i], inquiry) && Among(rules[i], inquiry, desk) is { } found)
            {
                return new Routed(found.Member, i, found.InFor);
            }
        }

        return new Routed(otherwise, null, null);
    }

    /// <summary>Whether a rule speaks of an inquiry.</summary>
    public static bool Fits(RoutingRule rule, InquiryFacts inquiry) =>
        (rule.Form is null || Same(rule.Form, inquiry.Form)) && (rule.Topic is null || Same(rule.Topic, inquiry.Topic)) && (rule.Area is null || inquiry.Areas.Any(a => Same(rule.Area, a)));

    private static bool Same(string asked, string? found) => string.Equals(asked, found, StringComparison.OrdinalIgnoreCase);

    private static (Guid Member, Guid? InFor)? Among(RoutingRule rule, InquiryFacts inquiry, InquiryDesk desk)
    {
        IEnumerable<Guid> asked = rule.To switch
        {
            GivenTo.WhoKnowsThem => inquiry.Owner is { } owner ? [owner] : [],
            GivenTo.InTurn => rule.Members.Select((m, i) => (m, i)).OrderBy(x => desk.LastGiven.GetValueOrDefault(x.m, Instant.MinValue)).ThenBy(x => x.i).Select(x => x.m),
            _ => rule.Members,
        };
        var order = asked.ToList();
        foreach (var member in order.Where(desk.Present))
        {
            return (member, null);
        }

        // Nobody of them is there: the first whose deputy is.
        foreach (var member in order)
        {
            if (desk.DeputyOf(member) is { } deputy && desk.Present(deputy))
            {
                return (deputy, member);
            }
        }

        return null;
    }
}
