using System.Text.RegularExpressions;

namespace Germinal.Service.Members;

/// <summary>A device in a few words, from what its browser calls itself (RFC 9110, 10.1.5). It says so itself and may be wrong.</summary>
public static partial class DeviceWords
{
    /// <summary>Words such as <c>Firefox on Linux</c>; the whole of it where nothing in it is known.</summary>
    public static string Of(string program)
    {
        if (program.Trim().Length == 0)
        {
            return Said("a program that does not say what it is");
        }

        // What comes first in a browser's name of itself says least: each names those before it too.
        var browser = Browser().Matches(program).Select(m => m.Groups[1].Value).Where(n => n is not ("Mozilla" or "AppleWebKit" or "Version" or "Mobile" or "Gecko")).ToList();
        var system = System().Match(program);
        var name = browser.FirstOrDefault(n => n is not ("Safari" or "Chrome")) ?? browser.FirstOrDefault();
        return name is null ? program : system.Success ? Say($"{name} on {system.Groups[1].Value.Replace("NT", "", StringComparison.Ordinal).Trim()}") : name;
    }

    [GeneratedRegex(@"([A-Za-z][A-Za-z]+)/[\d.]+", RegexOptions.None, 1000)]
    private static partial Regex Browser();

    [GeneratedRegex(@"\((?:X11; |compatible; )?([A-Za-z]+(?: NT| OS)?)", RegexOptions.None, 1000)]
    private static partial Regex System();
}
