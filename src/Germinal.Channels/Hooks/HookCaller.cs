using System.Net;
using System.Net.Http.Headers;
using System.Text;
using Germinal.Channels.Mail;
using Germinal.Channels.Texts;
using NodaTime;

namespace Germinal.Channels.Hooks;

/// <summary>How another program took what it was told.</summary>
/// <param name="Taken">Whether it did (any 2xx).</param>
/// <param name="Gone">Whether it says that it is never to be told again (410).</param>
/// <param name="Words">What it answered, or why it could not be reached, in a few words.</param>
public sealed record HookAnswer(bool Taken, bool Gone, string Words);

/// <summary>
/// Tells another program, signed after the Standard Webhooks specification (<see cref="WebhookSigner"/>): never on this machine or a private network,
/// whatever its name leads to, without following to another place, and without waiting long.
/// </summary>
public sealed class HookCaller : IDisposable
{
    private const int MostWords = 200;
    private readonly HttpClient http;

    /// <param name="line">Opens the lines, and refuses what is not to be reached.</param>
    public HookCaller(ServerLine line)
    {
        http = new HttpClient(OutsideLine.To(line, 0)) { Timeout = ServerLine.Patience, MaxResponseContentBufferSize = 64 * 1024 };
        http.DefaultRequestHeaders.UserAgent.ParseAdd("Germinal");
    }

    /// <summary>Tells it. Never throws for what the other side or the network does.</summary>
    /// <param name="address">Where.</param>
    /// <param name="secret">The key it is signed with.</param>
    /// <param name="id">The call's own id, the same each time it is told.</param>
    /// <param name="body">What is told, as JSON.</param>
    /// <param name="machineNow">The machine's time, which is signed with it.</param>
    /// <param name="stop">Gives up.</param>
    public async Task<HookAnswer> TellAsync(Uri address, byte[] secret, string id, string body, Instant machineNow, CancellationToken stop)
    {
        var timestamp = machineNow.ToUnixTimeSeconds();
        using var request = new HttpRequestMessage(HttpMethod.Post, address) { Content = new StringContent(body, Encoding.UTF8, new MediaTypeHeaderValue("application/json")) };
        request.Headers.Add("webhook-id", id);
        request.Headers.Add("webhook-timestamp", timestamp.ToString(System.Globalization.CultureInfo.InvariantCulture));
        request.Headers.Add("webhook-signature", new WebhookSigner(secret).Sign(id, timestamp, body));
        try
        {
            using var answer = await http.SendAsync(request, stop);
            var words = await answer.Content.ReadAsStringAsync(stop);
            return new HookAnswer(answer.IsSuccessStatusCode, answer.StatusCode == HttpStatusCode.Gone, Short($"{(int)answer.StatusCode} {words}"));
        }
        catch (Exception e) when (ServerLine.FailedHttp(e, stop))
        {
            return new HookAnswer(false, false, Short(ServerLine.ExplainHttp(e)));
        }
    }

    private static string Short(string words)
    {
        var line = words.ReplaceLineEndings(" ").Replace("\0", "", StringComparison.Ordinal).Trim();
        return line.Length > MostWords ? line[..MostWords] : line;
    }

    /// <inheritdoc/>
    public void Dispose() => http.Dispose();
}
