using Germinal.Store.Rows;
using Germinal.Web.Journal;
using Microsoft.AspNetCore.Authorization;

namespace Germinal.Web.Hosting;

/// <summary>Something that may be done, and the roles that may.</summary>
/// <param name="Name">The name of the authorization policy, and what the page asks for.</param>
/// <param name="What">In words, as an answer to somebody who may not: “switch programs on or off”.</param>
/// <param name="Roles">Roles of members.</param>
/// <param name="NeedsAll">Whether only those have it who see everybody: what is done goes to people, or changes people, whom others do not see.</param>
public sealed record Right(string Name, string What, IReadOnlyList<string> Roles, bool NeedsAll = false);

/// <summary>
/// Who may do what: the one table. Every endpoint of the API names its right; the page hides what one may not do;
/// docs/security.md shows the same table (a test compares them).
/// </summary>
public static class Rights
{
    /// <summary>Everything on the day sheet and on a person's page that is not named below.</summary>
    public const string Work = "work";

    /// <summary>Writing programs; a draft does nothing by itself.</summary>
    public const string WritePrograms = "write-programs";

    /// <summary>Switching programs on, pausing them, moving or stopping those on their way.</summary>
    public const string SwitchPrograms = "switch-programs";

    /// <summary>Saying yes to a program before it is switched on, where the practice asks for that.</summary>
    public const string ApprovePrograms = "approve-programs";

    /// <summary>Showing forms to everybody, and taking them back.</summary>
    public const string ShowForms = "show-forms";

    /// <summary>Bringing lists of people in.</summary>
    public const string BringPeopleIn = "bring-people-in";

    /// <summary>Bringing in consent that was given elsewhere.</summary>
    public const string BringConsentIn = "bring-consent-in";

    /// <summary>Recording a yes where the newest word is a no.</summary>
    public const string YesOverNo = "yes-over-no";

    /// <summary>Letting one message go without consent (rule 10.5).</summary>
    public const string OverruleConsent = "overrule-consent";

    /// <summary>Making one person of two.</summary>
    public const string MergePeople = "merge-people";

    /// <summary>Handing out a person's data.</summary>
    public const string ExportPeople = "export-people";

    /// <summary>Erasing a person.</summary>
    public const string ErasePeople = "erase-people";

    /// <summary>Seeing the numbers of each member, and having the practice's by mail.</summary>
    public const string SeeNumbers = "see-numbers";

    /// <summary>Seeing the journal.</summary>
    public const string SeeJournal = "see-journal";

    /// <summary>Saying who belongs to the practice, and what they may.</summary>
    public const string KeepMembers = "keep-members";

    /// <summary>Taking the whole practice out, and letting it go.</summary>
    public const string TakeWhole = "take-whole";

    /// <summary>Making keys for other programs, and saying what those are told.</summary>
    public const string KeepPrograms = "keep-other-programs";

    /// <summary>Changing how the practice works.</summary>
    public const string ChangeSettings = "change-settings";

    /// <summary>Seeing and trying mail servers.</summary>
    public const string SeeServers = "see-servers";

    /// <summary>Looking after one's own sign-in: name, password, second factor, passkeys, sessions.</summary>
    public const string OwnSignIn = "own-sign-in";

    /// <summary>Making and stopping practices, and seeing how the installation fares. Nothing of any practice's people comes with it.</summary>
    public const string KeepInstallation = "keep-installation";

    private static readonly string[] Everybody = ["principal", "adviser", "assistant"];
    private static readonly string[] NoAssistant = ["principal", "adviser"];
    private static readonly string[] PrincipalOnly = ["principal"];

    /// <summary>The role of whoever keeps the installation; nobody of a practice has it (<see cref="PracticeRow.House"/>).</summary>
    public const string Keeper = "keeper";

    /// <summary>The table.</summary>
    public static IReadOnlyList<Right> All { get; } =
    [
        new(OwnSignIn, ToSay("look after one's own sign-in"), [.. Everybody, Keeper]),
        new(Work, ToSay("work with people, calls, notes, tasks, appointments, opportunities and inquiries"), Everybody),
        new(WritePrograms, ToSay("write programs as drafts"), Everybody),
        new(BringPeopleIn, ToSay("bring lists of people in"), Everybody, NeedsAll: true),
        new(SwitchPrograms, ToSay("switch programs on or off, and move or stop those on their way"), NoAssistant, NeedsAll: true),
        new(ApprovePrograms, ToSay("approve programs before they are switched on, where the practice asks for it"), PrincipalOnly),
        new(ShowForms, ToSay("show forms to everybody, and take them back"), NoAssistant),
        new(BringConsentIn, ToSay("bring in consent that was given elsewhere"), NoAssistant, NeedsAll: true),
        new(YesOverNo, ToSay("record a yes where somebody said no"), NoAssistant),
        new(OverruleConsent, ToSay("let a message go without consent"), NoAssistant),
        new(MergePeople, ToSay("make one person of two"), NoAssistant),
        new(ExportPeople, ToSay("hand out a person's data"), NoAssistant),
        new(ErasePeople, ToSay("erase a person"), PrincipalOnly),
        new(SeeNumbers, ToSay("see the numbers of each member"), PrincipalOnly),
        new(SeeJournal, ToSay("see the journal of what everybody did"), PrincipalOnly),
        new(KeepMembers, ToSay("invite members, say what they may, and take them out"), PrincipalOnly),
        new(TakeWhole, ToSay("take the whole practice out, and let it go"), PrincipalOnly),
        new(KeepPrograms, ToSay("make keys for other programs, and say what those are told"), PrincipalOnly),
        new(ChangeSettings, ToSay("change the practice's settings"), PrincipalOnly),
        new(SeeServers, ToSay("see and try mail servers"), PrincipalOnly),
        new(KeepInstallation, ToSay("make and stop practices, and see how the installation fares"), [Keeper]),
    ];

    /// <summary>What a key of another program can be given: nothing that is a person's own word or opens the house itself.</summary>
    public static IReadOnlyList<Right> ForKeys { get; } =
        [.. All.Where(r => r.Name is not (ApprovePrograms or YesOverNo or OverruleConsent or KeepMembers or TakeWhole or KeepPrograms or SeeServers or SeeJournal or OwnSignIn or KeepInstallation))];

    /// <summary>Whether a member of a role has a right.</summary>
    public static bool Has(string role, string right, bool seesAll = true) => Of(role, seesAll).Contains(right, StringComparer.Ordinal);

    /// <summary>The rights of a role, of a member who sees everybody or only some.</summary>
    public static IReadOnlyList<string> Of(string role, bool seesAll = true) =>
        [.. All.Where(r => r.Roles.Contains(role, StringComparer.Ordinal) && (seesAll || !r.NeedsAll)).Select(r => r.Name)];

    /// <summary>Adds a policy for each right.</summary>
    public static void AddGerminalRights(this IServiceCollection services)
    {
        var policies = services.AddAuthorizationBuilder();
        foreach (var right in All)
        {
            policies.AddPolicy(
                right.Name,
                p =>
                {
                    p.RequireAuthenticatedUser().RequireRole(right.Roles);
                    p.RequireAssertion(a => a.User.FindFirst(Caller.KeyClaim) is not { Value: var rights } || rights.Split(',').Contains(right.Name, StringComparer.Ordinal));
                    if (right.NeedsAll)
                    {
                        p.RequireAssertion(a => !a.User.HasClaim(c => c.Type == Caller.SeesClaim));
                    }
                }
            );
        }

        services.AddSingleton<IAuthorizationMiddlewareResultHandler, SaysWhatIsMissing>();
    }

    /// <summary>Tells a caller without a right which one it is and who has it.</summary>
    private sealed class SaysWhatIsMissing : IAuthorizationMiddlewareResultHandler
    {
        private readonly Microsoft.AspNetCore.Authorization.Policy.AuthorizationMiddlewareResultHandler standard = new();

        public async Task HandleAsync(
            RequestDelegate next,
            HttpContext context,
            AuthorizationPolicy policy,
            Microsoft.AspNetCore.Authorization.Policy.PolicyAuthorizationResult authorizeResult
        )
        {
            if (authorizeResult.Forbidden)
            {
                var caller = Caller.Of(context.User);
                var asked = context.GetEndpoint()?.Metadata.GetOrderedMetadata<IAuthorizeData>().Select(a => a.Policy).OfType<string>() ?? [];
                var missing = All.FirstOrDefault(r => asked.Contains(r.Name, StringComparer.Ordinal) && !caller.May(r.Name));
                await JournalKeeping.RefusedAsync(context);
                await Problems.NotYours(missing, caller).ExecuteAsync(context);
                return;
            }

            await standard.HandleAsync(next, context, policy, authorizeResult);
        }
    }
}
