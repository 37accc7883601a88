using Germinal.Channels.Mail;

namespace Germinal.Service.Tests;

/// <summary>What a domain's records say, and what is said of them.</summary>
public sealed class MailRecordsTests
{
    private const string Domain = "example.com";

    private static string[] Several(string texts) => texts.Split(" | ", StringSplitOptions.RemoveEmptyEntries);

    [Theory]
    [InlineData("right", "v=spf1 a:mail.example.com -all")]
    [InlineData("right", "v=spf1 include:mail.example.com ~all | another=thing")]
    [InlineData("other", "v=spf1 include:elsewhere.example.net ~all")]
    [InlineData("other", "v=spf1 a:mail.example.com +all")]
    [InlineData("other", "v=spf1 a:mail.example.com ~all | v=spf1 -all")] // RFC 7208, 3.2: one at most
    [InlineData("missing", "v=spf10 a:mail.example.com")] // RFC 7208, 4.5: a space or the end behind it
    [InlineData("missing", "")]
    public void Who_may_send(string stands, string texts) => Assert.Equal(stands, MailRecords.Spf(Domain, "mail.example.com", Several(texts)).Stands);

    [Theory]
    [InlineData("right", "v=DKIM1; k=rsa; p=AAAA")]
    [InlineData("right", "v=DKIM1; k=rsa; p=AA AA")] // RFC 6376, 3.2: white space within does not count
    [InlineData("right", " p = AAAA ;")]
    [InlineData("other", "v=DKIM1; k=rsa; p=BBBB")]
    [InlineData("other", "v=DKIM1; p=")] // taken back (RFC 6376, 3.6.1)
    [InlineData("missing", "")]
    public void The_key(string stands, string texts)
    {
        var record = MailRecords.Dkim(Domain, "g1", "AAAA", Several(texts));
        Assert.Equal((stands, "g1._domainkey.example.com", "v=DKIM1; k=rsa; p=AAAA"), (record.Stands, record.Name, record.Value));
    }

    [Theory]
    [InlineData("right", "v=DMARC1; p=none; rua=mailto:a@example.com")]
    [InlineData("right", "v=DMARC1; p=reject")]
    [InlineData("other", "v=DMARC1; rua=mailto:a@example.com")]
    [InlineData("other", "v=DMARC1; p=none | v=DMARC1; p=reject")] // RFC 7489, 6.6.3: more than one is none
    [InlineData("missing", "something else")]
    public void What_else_is_done(string stands, string texts) => Assert.Equal(stands, MailRecords.Dmarc(Domain, Several(texts)).Stands);

    [Fact]
    public async Task Where_nobody_can_be_asked_that_is_said()
    {
        Assert.Null(await new NoLookup().TextsAsync(Domain, default));
        Assert.All([MailRecords.Spf(Domain, "m", null), MailRecords.Dkim(Domain, "g", "A", null), MailRecords.Dmarc(Domain, null)], r => Assert.Equal((RecordStands.Unasked, ""), (r.Stands, r.Found)));

        // A resolver that is not there answers in time that it is not.
        Assert.Null(await new ResolverLookup(new System.Net.IPEndPoint(System.Net.IPAddress.Loopback, 9)).TextsAsync(Domain, default));
    }

    /// <summary>The resolver's own protocol (RFC 1035), by a server of one name that answers over UDP.</summary>
    [Fact]
    public async Task A_resolver_is_asked_for_texts()
    {
        using var server = new System.Net.Sockets.UdpClient(new System.Net.IPEndPoint(System.Net.IPAddress.Loopback, 0));
        var serving = Task.Run(async () =>
        {
            for (var i = 0; i < 2; i++)
            {
                var asked = await server.ReceiveAsync();
                await server.SendAsync(Answer(asked.Buffer), asked.RemoteEndPoint);
            }
        });
        var lookup = new ResolverLookup((System.Net.IPEndPoint)server.Client.LocalEndPoint!);
        Assert.Equal(["v=spf1 a:mail.example.com ~all"], await lookup.TextsAsync("here.example.com", default));
        Assert.Equal([], (await lookup.TextsAsync("nobody.example.com", default))!);
        await serving;
    }

    /// <summary>The question once more, and to what begins with “here” a text of two strings (RFC 1035, 3.3.14: they are one); to others “no such name”.</summary>
    private static byte[] Answer(byte[] question)
    {
        // Of the head the id; then the question without what may stand behind it (EDNS).
        var end = 12;
        while (question[end] != 0)
        {
            end += question[end] + 1;
        }

        end += 5;
        var known = question[13] == 'h';
        var answer = new List<byte>([question[0], question[1], 0x81, (byte)(known ? 0x80 : 0x83), 0, 1, 0, (byte)(known ? 1 : 0), 0, 0, 0, 0, .. question[12..end]]);
        if (known)
        {
            byte[] Text(string words) => [(byte)words.Length, .. System.Text.Encoding.ASCII.GetBytes(words)];
            byte[] data = [.. Text("v=spf1 a:mail."), .. Text("example.com ~all")];
            answer.AddRange([0xC0, 12, 0, 16, 0, 1, 0, 0, 0, 60, 0, (byte)data.Length, .. data]);
        }

        return [.. answer];
    }
}
