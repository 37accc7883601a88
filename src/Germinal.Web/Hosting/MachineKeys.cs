using System.Buffers.Text;
using System.Security.Cryptography;
using System.Text;

namespace Germinal.Web.Hosting;

/// <summary>What shows that somebody has set up the machine: a key in a file of the data folder that is for its owner's eyes only, and that works once.</summary>
/// <param name="settings">Where the data folder is.</param>
/// <param name="name">The file's.</param>
public abstract class MachineKey(Settings settings, string name)
{
    private const int Bytes = 16;

    private string File => Path.Combine(settings.DataFolder, name);

    /// <summary>Makes the key where there is none yet.</summary>
    /// <returns>The key.</returns>
    public async Task<string> MakeAsync(CancellationToken stop)
    {
        if (Read() is { Length: > 0 } already)
        {
            return already;
        }

        await using (System.IO.File.Create(File)) { }

        System.IO.File.SetUnixFileMode(File, UnixFileMode.UserRead | UnixFileMode.UserWrite);
        var key = Base64Url.EncodeToString(RandomNumberGenerator.GetBytes(Bytes));
        await System.IO.File.WriteAllTextAsync(File, key, stop);
        return key;
    }

    /// <summary>Whether it is the key; false where there is none.</summary>
    public bool Fits(string key) =>
        Read() is { Length: > 0 } own && CryptographicOperations.FixedTimeEquals(Encoding.UTF8.GetBytes(own), Encoding.UTF8.GetBytes(key.Trim()));

    /// <summary>It is used.</summary>
    public void End() => System.IO.File.Delete(File);

    private string Read() => System.IO.File.Exists(File) ? System.IO.File.ReadAllText(File).Trim() : "";
}

/// <summary>Makes the first practice: <c>beginning-key</c>, which is told where the application was started and gone as soon as there is a practice.</summary>
public sealed class BeginningKey(Settings settings) : MachineKey(settings, "beginning-key");

/// <summary>Makes a keeper of the installation: <c>keeper-key</c>, made anew for each by <c>./germinal keeper</c>.</summary>
public sealed class KeeperKey(Settings settings) : MachineKey(settings, "keeper-key")
{
    /// <summary>Makes one, and tells where it is used: <c>--keeper</c>.</summary>
    /// <param name="settings">Of the installation.</param>
    /// <param name="output">Where to.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task TellAsync(Settings settings, TextWriter output, CancellationToken stop) =>
        await output.WriteLineAsync($"Open this to become a keeper of this installation; it works once: {settings.Service.PublicUrl}/keep?key={await new KeeperKey(settings).MakeAsync(stop)}");
}
