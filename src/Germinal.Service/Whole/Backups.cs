using System.ComponentModel;
using System.Diagnostics;
using System.Formats.Tar;
using System.Globalization;
using NodaTime;
using NodaTime.Text;
using Npgsql;

namespace Germinal.Service.Whole;

/// <summary>A backup that was made.</summary>
/// <param name="At">When, by the machine's clock.</param>
/// <param name="File">The database, as <c>pg_dump</c> wrote it.</param>
/// <param name="Bytes">How large that is.</param>
/// <param name="HasKeys">Whether the keys lie beside it.</param>
public sealed record Backup(Instant At, string File, long Bytes, bool HasKeys);

/// <summary>Which backups stay: the newest of each of so many days, weeks (from Monday) and months, counted from the newest back.</summary>
public sealed record KeepRule(int Days, int Weeks, int Months)
{
    /// <summary>A week day by day, five weeks, a year.</summary>
    public static readonly KeepRule Usual = new(7, 5, 12);

    /// <summary>Reads <c>7d 5w 12m</c>; what is not named is none.</summary>
    /// <exception cref="FormatException">It is not such words, or nothing would stay.</exception>
    public static KeepRule Parse(string words)
    {
        var (days, weeks, months) = (0, 0, 0);
        foreach (var word in words.Split(' ', StringSplitOptions.RemoveEmptyEntries))
        {
            if (!int.TryParse(word[..^1], NumberStyles.None, CultureInfo.InvariantCulture, out var number))
            {
                throw Wrong(words);
            }

            switch (word[^1])
            {
                case 'd': days = number; break;
                case 'w': weeks = number; break;
                case 'm': months = number; break;
                default: throw Wrong(words);
            }
        }

        return days + weeks + months > 0 ? new KeepRule(days, weeks, months) : throw Wrong(words);
    }

    private static FormatException Wrong(string words) => new($"“{words}” does not say what is kept; 7d 5w 12m would: the newest of seven days, five weeks and twelve months.");

    /// <summary>Those that stay, newest first.</summary>
    public IReadOnlyList<Backup> Stay(IEnumerable<Backup> all)
    {
        var newest = all.OrderByDescending(b => b.At).ToList();
        var stay = new HashSet<Backup>();
        Keep(Days, date => date);
        Keep(Weeks, DateAdjusters.PreviousOrSame(IsoDayOfWeek.Monday));
        Keep(Months, DateAdjusters.StartOfMonth);
        return [.. newest.Where(stay.Contains)];

        void Keep(int most, Func<LocalDate, LocalDate> spanOf) => stay.UnionWith(newest.GroupBy(b => spanOf(b.At.InUtc().Date)).Take(most).Select(g => g.First()));
    }
}

/// <summary>Something that keeps a backup from being made; the message says what, and what would be right.</summary>
public sealed class BackupException(string message) : Exception(message);

/// <summary>
/// Backups of the whole installation in a folder: the database by <c>pg_dump</c>, and beside it the keys, without which links in letters and sealed passwords are worth nothing.
/// Their names carry their moment; there is no list beside the folder that could be wrong.
/// </summary>
/// <param name="folder">Where they lie.</param>
/// <param name="connection">Npgsql connection string of the database.</param>
/// <param name="data">The folder of the keys.</param>
/// <param name="keep">Which stay.</param>
/// <param name="programs">The folder of <c>pg_dump</c>; empty for the one that is found by name.</param>
public sealed class Backups(string folder, string connection, string data, KeepRule keep, string programs = "")
{
    private const string Before = "germinal-";
    private const string DumpEnd = ".dump";
    private const string KeysEnd = ".keys.tar";
    private const UnixFileMode Owner = UnixFileMode.UserRead | UnixFileMode.UserWrite;
    private static readonly InstantPattern Stamp = InstantPattern.CreateWithInvariantCulture("uuuuMMdd'T'HHmmss'Z'");
    private static readonly string[] Keys = ["link-key", "hook-key", "keys"];

    /// <summary>Where they lie.</summary>
    public string Folder => folder;

    /// <summary>Those there are, newest first.</summary>
    public IReadOnlyList<Backup> All() =>
        !Directory.Exists(folder)
            ? []
            :
            [
                .. Directory
                    .EnumerateFiles(folder, $"{Before}*{DumpEnd}")
                    .Select(f => (File: f, At: Stamp.Parse(Path.GetFileName(f)[Before.Length..^DumpEnd.Length])))
                    .Where(f => f.At.Success)
                    .Select(f => new Backup(f.At.Value, f.File, new FileInfo(f.File).Length, File.Exists(KeysOf(f.File))))
                    .OrderByDescending(b => b.At),
            ];

    private static string KeysOf(string dump) => dump[..^DumpEnd.Length] + KeysEnd;

    /// <summary>Makes one, and lets those go that the rule does not keep. A file has its name only once it is whole.</summary>
    /// <param name="now">By the machine's clock.</param>
    /// <param name="stop">Gives up; then nothing is left of it.</param>
    /// <exception cref="BackupException">It could not be made; those there are stay.</exception>
    public async Task<Backup> MakeAsync(Instant now, CancellationToken stop)
    {
        try
        {
            Directory.CreateDirectory(folder, Owner | UnixFileMode.UserExecute);
            var file = Path.Combine(folder, Before + Stamp.Format(now) + DumpEnd);
            var (part, keysPart) = (file + ".part", KeysOf(file) + ".part");
            try
            {
                await DumpAsync(part, stop);
                await WriteKeysAsync(keysPart, stop);
                File.SetUnixFileMode(part, Owner);
                File.Move(keysPart, KeysOf(file), overwrite: true);
                File.Move(part, file, overwrite: true);
            }
            finally
            {
                File.Delete(part);
                File.Delete(keysPart);
            }

            var all = All();
            foreach (var old in all.Except(keep.Stay(all)))
            {
                File.Delete(old.File);
                File.Delete(KeysOf(old.File));
            }

            return all.First(b => b.File == file);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            throw new BackupException($"The folder {folder} could not be written: {e.Message} Set GERMINAL_BACKUPS to one that the process may write to.");
        }
    }

    private async Task DumpAsync(string file, CancellationToken stop)
    {
        var to = new NpgsqlConnectionStringBuilder(connection);
        var start = new ProcessStartInfo(Path.Combine(programs, "pg_dump"))
        {
            UseShellExecute = false,
            RedirectStandardError = true,
            ArgumentList = { "--format=custom", "--no-owner", "--no-privileges", $"--file={file}", "--host", to.Host ?? "", "--port", to.Port.ToString(CultureInfo.InvariantCulture), "--username", to.Username ?? "", "--no-password", to.Database ?? "" },
            Environment = { ["PGPASSWORD"] = to.Password ?? "" },
        };
        try
        {
            using var process = Process.Start(start)!;
            try
            {
                var said = await process.StandardError.ReadToEndAsync(stop);
                await process.WaitForExitAsync(stop);
                if (process.ExitCode != 0)
                {
                    throw new BackupException($"pg_dump could not write the database out: {said.Trim()}");
                }
            }
            catch (OperationCanceledException)
            {
                process.Kill();
                throw;
            }
        }
        catch (Win32Exception)
        {
            throw new BackupException("There is no pg_dump on this machine. Install PostgreSQL's client programs, of the server's version or newer (Debian: postgresql-client).");
        }
    }

    private async Task WriteKeysAsync(string file, CancellationToken stop)
    {
        await using (var stream = new FileStream(file, new FileStreamOptions { Mode = FileMode.Create, Access = FileAccess.Write, UnixCreateMode = Owner }))
        await using (var tar = new TarWriter(stream))
        {
            foreach (var path in Keys.Select(k => Path.Combine(data, k)))
            {
                foreach (var one in Directory.Exists(path) ? Directory.EnumerateFiles(path, "*", SearchOption.AllDirectories) : File.Exists(path) ? [path] : [])
                {
                    await tar.WriteEntryAsync(one, Path.GetRelativePath(data, one), stop);
                }
            }
        }
    }
}
