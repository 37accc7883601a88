using System.Globalization;
using Germinal.Service.Whole;
using Germinal.Web.Hosting;
using NodaTime;

namespace Germinal.Web.Doctor;

/// <summary>Folders: the keys, the pages, what is free, and the backups' age.</summary>
internal static class FolderChecks
{
    private const UnixFileMode Others = UnixFileMode.GroupRead | UnixFileMode.GroupWrite | UnixFileMode.OtherRead | UnixFileMode.OtherWrite;
    private static readonly Duration OldBackup = Duration.FromHours(50);

    public static IEnumerable<Finding> Look(IConfiguration configuration, Limits limits)
    {
        foreach (var finding in Data(configuration, limits).Concat(Pages(configuration)).Concat(BackedUp(configuration, limits)))
        {
            yield return finding;
        }
    }

    private static IEnumerable<Finding> Data(IConfiguration configuration, Limits limits)
    {
        if (configuration["GERMINAL_DATA"] is not { Length: > 0 } data)
        {
            yield return Finding.Wrong("GERMINAL_DATA is not set: there is nowhere to keep the keys.", "Set it to a folder that is kept, such as /var/lib/germinal.");
            yield break;
        }

        if (!Directory.Exists(data))
        {
            yield return Finding.Wrong($"The folder of the keys, {data}, is not there.", "Make it, or put it back from a backup; without its keys links in letters that went out do not work.");
            yield break;
        }

        foreach (var name in new[] { "link-key", "hook-key" })
        {
            var file = Path.Combine(data, name);
            if (!File.Exists(file))
            {
                yield return Finding.Doubtful($"The key {file} is not there.", "A new installation makes it at its start. In one that has been in use, put it back from the backup before it starts.");
            }
            else if (new FileInfo(file).Length != Settings.SecretBytes)
            {
                yield return Finding.Wrong($"The key {file} is damaged: it holds {new FileInfo(file).Length} bytes instead of {Settings.SecretBytes}.", "Put it back from the backup (the .keys.tar beside the newest one).");
            }
            else if ((File.GetUnixFileMode(file) & Others) != UnixFileMode.None)
            {
                yield return Finding.Wrong($"The key {file} can be read by others on this machine.", $"chmod 600 {file}");
            }
            else
            {
                yield return Finding.Well($"the key {name} is whole, and its owner’s only");
            }
        }

        foreach (var finding in Free(data, "data", limits))
        {
            yield return finding;
        }
    }

    private static IEnumerable<Finding> Free(string folder, string what, Limits limits)
    {
        var free = new DriveInfo(folder).AvailableFreeSpace;
        var words = string.Create(CultureInfo.InvariantCulture, $"{free / (double)(1 << 30):0.0} GB");
        yield return free < limits.LeastFree
            ? Finding.Wrong($"Only {words} are free where {what} lies ({folder}).", "Make room, or move it to a larger disk; a full one stops everything.")
            : Finding.Well($"{words} are free where {what} lies");
    }

    private static IEnumerable<Finding> Pages(IConfiguration configuration)
    {
        var folder = configuration["GERMINAL_WWW"] ?? "";
        yield return File.Exists(Path.Combine(folder, "index.html"))
            ? Finding.Well("the pages are built")
            : Finding.Wrong($"There are no pages in GERMINAL_WWW ({(folder.Length > 0 ? folder : "not set")}): members would see nothing.", "Build them (npm run build in src/web) and name the folder dist.");
    }

    private static IEnumerable<Finding> BackedUp(IConfiguration configuration, Limits limits)
    {
        if (configuration["GERMINAL_BACKUPS"] is not { Length: > 0 } folder)
        {
            yield return Finding.Doubtful("No backups are made.", "Set GERMINAL_BACKUPS to a folder, best on another disk; a worker writes one each night.");
            yield break;
        }

        var problem = "";
        try
        {
            _ = Settings.KeepOf(configuration["GERMINAL_BACKUPS_KEPT"]);
        }
        catch (InvalidOperationException e)
        {
            problem = e.Message;
        }

        if (problem.Length > 0)
        {
            yield return Finding.Wrong(problem, "Set it right; the application does not start so.");
        }

        if (new Backups(folder, "", "", KeepRule.Usual).All() is not [var newest, ..])
        {
            yield return Finding.Doubtful($"There is no backup in {folder} yet.", "One is made each night at ten past three. If there is none tomorrow, look into the worker’s log; make one now by ./germinal backup FILE.");
            yield break;
        }

        var age = limits.Clock.GetCurrentInstant() - newest.At;
        var hours = string.Create(CultureInfo.InvariantCulture, $"{age.TotalHours:0}");
        yield return age > OldBackup
                ? Finding.Wrong($"The newest backup in {folder} is {hours} hours old; one is made each night.", "Look for “No backup could be made” in the worker’s log.")
            : newest.HasKeys ? Finding.Well($"the newest backup is {hours} hours old, its keys beside it")
            : Finding.Wrong($"Beside the newest backup, {newest.File}, there are no keys.", "Without them links in letters and sealed passwords are lost. Make a backup anew.");
        foreach (var finding in Free(folder, "backups", limits))
        {
            yield return finding;
        }
    }
}
