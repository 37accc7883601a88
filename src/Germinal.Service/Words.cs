using Germinal.Core.Contact;

namespace Germinal.Service;

/// <summary>Stored words of closed sets, read back (<see cref="ContactWords"/> writes them); one that is none is our own mistake.</summary>
public static class Words
{
    public static Channel ChannelOf(string word) => ContactWords.ChannelOf(word.ToLowerInvariant()) ?? throw NoWord(word);

    public static Purpose PurposeOf(string word) => ContactWords.PurposeOf(word.ToLowerInvariant()) ?? throw NoWord(word);

    public static ConsentBasis BasisOf(string word) => ContactWords.BasisOf(word.ToLowerInvariant()) ?? throw NoWord(word);

    private static ArgumentException NoWord(string word) => new($"“{word}” is no stored word.", nameof(word));
}
