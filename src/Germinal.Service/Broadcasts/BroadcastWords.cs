using Germinal.Core.Broadcasts;

namespace Germinal.Service.Broadcasts;

/// <summary>Parts of a broadcast in a line.</summary>
public static class BroadcastWords
{
    private const int Longest = 120;

    /// <summary>Who it is for.</summary>
    /// <param name="to">As it is written.</param>
    /// <param name="names">The names of broadcasts.</param>
    public static string To(BroadcastTo to, IReadOnlyDictionary<Guid, string> names) =>
        to.Kind switch
        {
            "segment" or "list" => to.Name,
            "people" => to.People.Count == 1 ? Said("one person") : Say($"{to.People.Count} people"),
            _ => Say($"whoever {Did(to.Did)} “{(to.Broadcast is { } id ? names.GetValueOrDefault(id, "") : "")}”"),
        };

    private static string Did(string did) =>
        did switch
        {
            "got" => Said("got"),
            "opened" => Said("opened"),
            "not-opened" => Said("did not open"),
            "followed" => Said("followed a link of"),
            "not-followed" => Said("followed no link of"),
            _ => Said("answered"),
        };

    /// <summary>What a way says, in a line.</summary>
    public static string Line(BroadcastWay way)
    {
        var words = way.Kind == "email" ? way.Subject : way.Body.ReplaceLineEndings(" ");
        return words.Length > Longest ? words[..Longest] + "…" : words;
    }
}
