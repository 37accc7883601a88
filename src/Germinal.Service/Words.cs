using Germinal.Core.Contact;
using Germinal.Core.Engine;

namespace Germinal.Service;

/// <summary>The stored words of closed sets, and back.</summary>
public static class Words
{
    public static string Of(Channel channel) => channel.ToString().ToLowerInvariant();

    public static Channel ChannelOf(string word) => Enum.Parse<Channel>(word, ignoreCase: true);

    public static string Of(Purpose purpose) => purpose.ToString().ToLowerInvariant();

    public static Purpose PurposeOf(string word) => Enum.Parse<Purpose>(word, ignoreCase: true);

    public static ConsentBasis BasisOf(string word) => Enum.Parse<ConsentBasis>(word, ignoreCase: true);
}
