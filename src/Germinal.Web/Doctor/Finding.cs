namespace Germinal.Web.Doctor;

/// <summary>How it is with something.</summary>
public enum Health
{
    /// <summary>As it should be.</summary>
    Well,

    /// <summary>It works, and should not stay so.</summary>
    Doubtful,

    /// <summary>Something does not work, or will be lost.</summary>
    Wrong,
}

/// <summary>Something that was looked at.</summary>
/// <param name="Is">How it is with it.</param>
/// <param name="What">What was found.</param>
/// <param name="Then">What to do about it; empty where nothing is to be done.</param>
public sealed record Finding(Health Is, string What, string Then = "")
{
    internal static Finding Well(string what) => new(Health.Well, what);

    internal static Finding Doubtful(string what, string then) => new(Health.Doubtful, what, then);

    internal static Finding Wrong(string what, string then) => new(Health.Wrong, what, then);
}

/// <summary>What is looked for.</summary>
/// <param name="Clock">The machine's.</param>
public sealed record Limits(NodaTime.IClock Clock)
{
    /// <summary>Bytes that should be free where data and backups lie.</summary>
    public long LeastFree { get; init; } = 1L << 30;

    /// <summary>The oldest PostgreSQL it is tried with, as <c>server_version_num</c>.</summary>
    public int OldestDatabase { get; init; } = 150_000;
}
