namespace Germinal.Service.Engine;

/// <summary>What is sealed in the database with the installation's keys, each under a purpose of its own, so that none opens another.</summary>
public static class SealPurposes
{
    /// <summary>Passwords of servers, keys mail is signed with, and addresses that are as good as one.</summary>
    public const string Servers = "mail-server-password";

    /// <summary>Secrets of members' second factors.</summary>
    public const string SecondFactor = "second-factor";

    /// <summary>All of them.</summary>
    public static IReadOnlyList<string> All { get; } = [Servers, SecondFactor];
}
