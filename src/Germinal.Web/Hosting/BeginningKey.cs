using System.Buffers.Text;
using System.Security.Cryptography;
using System.Text;

namespace Germinal.Web.Hosting;

/// <summary>
/// What shows that whoever makes the first practice has set up the machine: a key in the file <c>beginning-key</c> of the data folder, which
/// is told where the application was started. It is gone as soon as there is a practice.
/// </summary>
/// <param name="settings">Where the data folder is.</param>
public sealed class BeginningKey(Settings settings)
{
    private const int Bytes = 16;

    private string File => Path.Combine(settings.DataFolder, "beginning-key");

    /// <summary>Makes the key where there is none yet.</summary>
    public async Task MakeAsync(CancellationToken stop)
    {
        if (System.IO.File.Exists(File))
        {
            return;
        }

        await using (System.IO.File.Create(File)) { }

        System.IO.File.SetUnixFileMode(File, UnixFileMode.UserRead | UnixFileMode.UserWrite);
        await System.IO.File.WriteAllTextAsync(File, Base64Url.EncodeToString(RandomNumberGenerator.GetBytes(Bytes)), stop);
    }

    /// <summary>Whether it is the key; false where there is none.</summary>
    public bool Fits(string key) =>
        Read() is { Length: > 0 } own && CryptographicOperations.FixedTimeEquals(Encoding.UTF8.GetBytes(own), Encoding.UTF8.GetBytes(key.Trim()));

    /// <summary>There is a practice now.</summary>
    public void End() => System.IO.File.Delete(File);

    private string Read() => System.IO.File.Exists(File) ? System.IO.File.ReadAllText(File).Trim() : "";
}
