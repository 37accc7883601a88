using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata;

namespace Germinal.Store;

/// <summary>A table in which a practice has rows of its own.</summary>
/// <param name="Name">The table.</param>
/// <param name="Owner">The column that says whose row it is.</param>
/// <param name="Key">Its key's columns.</param>
/// <param name="Columns">Its columns without those that are worked out, and without <paramref name="Files"/>.</param>
/// <param name="Files">Columns that hold files.</param>
/// <param name="Counted">The column whose values the database counts up; null for none.</param>
/// <param name="Left">Columns that belong to the installation and not to the practice (secrets, sessions), with the SQL of what stands in their place elsewhere.</param>
public sealed record PracticeTable(
    string Name,
    string Owner,
    IReadOnlyList<string> Key,
    IReadOnlyList<string> Columns,
    IReadOnlyList<string> Files,
    string? Counted,
    IReadOnlyDictionary<string, string> Left
)
{
    /// <summary>The table's name as SQL has it.</summary>
    public string Sql => Quoted(Name);

    /// <summary>A name as SQL has it.</summary>
    public static string Quoted(string name) => $"\"{name.Replace("\"", "\"\"", StringComparison.Ordinal)}\"";
}

/// <summary>
/// Where the database holds something of a practice, worked out from the model, so that taking a practice out, bringing it in and letting it
/// go walk the same list and nobody has to remember a new table.
/// </summary>
public static class PracticeTables
{
    /// <summary>
    /// What is the installation's and not the practice's: who is signed in where, links that are under way, whether a server is away just now; calendars kept
    /// elsewhere, whose addresses are sealed with the installation's key, as members' own mail accounts are; and other programs, whose keys open this installation and no other.
    /// </summary>
    private static readonly Type[] OfTheInstallation = [typeof(MemberLinkRow), typeof(DeviceRow), typeof(ProviderRow), typeof(OwnCalendarRow), typeof(BusyTimeRow), typeof(ApiKeyRow), typeof(KeptAnswerRow), typeof(HookRow), typeof(HookCallRow), typeof(MailAccountRow), typeof(SentCopyRow)];

    /// <summary>What members sign in with stays behind: they are invited anew.</summary>
    private static readonly Dictionary<string, string> SignIn = new(StringComparer.Ordinal)
    {
        [nameof(MemberUser.PasswordHash)] = "NULL",
        [nameof(MemberUser.SecurityStamp)] = "gen_random_uuid()::text",
        [nameof(MemberUser.ConcurrencyStamp)] = "NULL",
        [nameof(MemberUser.FeedKey)] = "NULL",
        [nameof(MemberUser.SealedFactor)] = "''",
        [nameof(MemberUser.FactorSince)] = "NULL",
        [nameof(MemberUser.FactorStep)] = "0",
        [nameof(MemberUser.RecoveryMarks)] = "ARRAY[]::text[]",
        [nameof(MemberUser.AccessFailedCount)] = "0",
        [nameof(MemberUser.LockoutEnd)] = "NULL",
    };

    /// <summary>Every such table that goes with the practice, each before those that hang on it.</summary>
    public static IReadOnlyList<PracticeTable> Of(IModel model) => [.. InOrder(Types(model).Where(t => !OfTheInstallation.Contains(t.ClrType))).Select(Table)];

    /// <summary>All of them, those of the installation too, each after those that hang on it: what goes when a practice goes.</summary>
    public static IReadOnlyList<PracticeTable> ToLetGo(IModel model) => [.. InOrder(Types(model)).Select(Table).Reverse()];

    private static IEnumerable<IEntityType> Types(IModel model) =>
        model.GetEntityTypes().Where(t => !t.IsOwned() && (t.ClrType == typeof(PracticeRow) || t.FindProperty(nameof(IOwned.PracticeId)) is not null));

    /// <summary>A table stands after all its keys point at.</summary>
    private static List<IEntityType> InOrder(IEnumerable<IEntityType> types)
    {
        var (all, done) = (types.OrderBy(t => t.ClrType != typeof(PracticeRow)).ThenBy(t => t.GetTableName(), StringComparer.Ordinal).ToList(), new List<IEntityType>());
        while (all.Count > 0)
        {
            var free = all.FindAll(t => t.GetForeignKeys().All(k => k.PrincipalEntityType == t || !all.Contains(k.PrincipalEntityType)));
            if (free.Count == 0)
            {
                throw new InvalidOperationException($"These tables point at each other in a circle: {string.Join(", ", all.Select(t => t.GetTableName()))}.");
            }

            done.AddRange(free);
            all.RemoveAll(free.Contains);
        }

        return done;
    }

    private static PracticeTable Table(IEntityType type)
    {
        var kept = type.GetProperties().Where(p => p.GetComputedColumnSql() is null).ToList();
        var key = type.FindPrimaryKey()!.Properties;
        return new PracticeTable(
            type.GetTableName()!,
            type.ClrType == typeof(PracticeRow) ? "id" : type.FindProperty(nameof(IOwned.PracticeId))!.GetColumnName(),
            [.. key.Select(p => p.GetColumnName())],
            [.. kept.Where(p => p.ClrType != typeof(byte[])).Select(p => p.GetColumnName())],
            [.. kept.Where(p => p.ClrType == typeof(byte[])).Select(p => p.GetColumnName())],
            key is [{ ClrType: var counted } one] && counted == typeof(long) && one.ValueGenerated == ValueGenerated.OnAdd ? one.GetColumnName() : null,
            type.ClrType == typeof(MemberUser) ? kept.Where(p => SignIn.ContainsKey(p.Name)).ToDictionary(p => p.GetColumnName(), p => SignIn[p.Name])
                : type.ClrType == typeof(PracticeRow) ? kept.Where(p => p.Name is nameof(PracticeRow.EndsAt) or nameof(PracticeRow.StoppedAt) or nameof(PracticeRow.LookAgainAfter)).ToDictionary(p => p.GetColumnName(), _ => "NULL")
                : new Dictionary<string, string>()
        );
    }
}
