using System.Diagnostics;
using System.Net;
using System.Net.Sockets;
using Germinal.Channels.Mail;
using Germinal.Service.Incoming;
using MailKit.Net.Imap;
using Microsoft.AspNetCore.DataProtection;
using Microsoft.EntityFrameworkCore;
using MimeKit;

namespace Germinal.Service.Tests;

/// <summary>A mailbox read by IMAP, against Debian's dovecot on loopback; ./test installs it.</summary>
public sealed class ImapTests : IAsyncLifetime
{
    private readonly string folder = Path.Combine(Path.GetTempPath(), $"germinal-imap-{Guid.NewGuid():N}");
    private Process? dovecot;
    private int port;

    public async Task InitializeAsync()
    {
        using (var listener = new TcpListener(IPAddress.Loopback, 0))
        {
            listener.Start();
            port = ((IPEndPoint)listener.LocalEndpoint).Port;
        }

        Directory.CreateDirectory(Path.Combine(folder, "home"));
        var isRoot = Environment.UserName == "root";
        var owner = isRoot ? "nobody" : Environment.UserName;
        var config = Path.Combine(folder, "dovecot.conf");
        await File.WriteAllTextAsync(
            config,
            $$"""
            base_dir = {{folder}}/run
            state_dir = {{folder}}/state
            log_path = {{folder}}/log
            protocols = imap
            listen = 127.0.0.1
            ssl = no
            disable_plaintext_auth = no
            mail_location = maildir:{{folder}}/home/%u
            first_valid_uid = 1
            auth_failure_delay = 0
            {{(isRoot ? "" : $"default_internal_user = {owner}\ndefault_login_user = {owner}\ndefault_internal_group = {owner}")}}
            passdb {
              driver = static
              args = password=right
            }
            userdb {
              driver = static
              args = uid={{owner}} gid={{(isRoot ? "nogroup" : owner)}} home={{folder}}/home
            }
            service imap-login {
              {{(isRoot ? "" : "chroot =")}}
              inet_listener imap {
                port = {{port}}
              }
              inet_listener imaps {
                port = 0
              }
            }
            service anvil {
              {{(isRoot ? "" : "chroot =")}}
              unix_listener anvil-auth-penalty {
                mode = 0
              }
            }
            """
        );
        if (isRoot)
        {
            await Process.Start("chown", ["-R", "nobody:nogroup", Path.Combine(folder, "home")]).WaitForExitAsync();
            await Process.Start("chmod", ["755", folder]).WaitForExitAsync();
        }

        dovecot = Process.Start(
            new ProcessStartInfo(File.Exists("/usr/sbin/dovecot") ? "/usr/sbin/dovecot" : "dovecot", ["-F", "-c", config])
            {
                UseShellExecute = false,
                RedirectStandardError = true,
            }
        )!;
        for (var i = 0; ; i++)
        {
            try
            {
                using var client = new TcpClient();
                await client.ConnectAsync(IPAddress.Loopback, port);
                return;
            }
            catch (SocketException) when (i < 100 && !dovecot.HasExited)
            {
                await Task.Delay(100);
            }
        }
    }

    public async Task DisposeAsync()
    {
        if (dovecot is { HasExited: false })
        {
            dovecot.Kill(entireProcessTree: true);
            await dovecot.WaitForExitAsync();
        }

        Directory.Delete(folder, true);
    }

    private MailServer Server(string password = "right") => new("127.0.0.1", port, 1, null, "none", "box", password);

    private async Task DeliverAsync(params MimeMessage[] messages)
    {
        using var client = new ImapClient();
        await client.ConnectAsync("127.0.0.1", port, MailKit.Security.SecureSocketOptions.None);
        await client.AuthenticateAsync("box", "right");
        foreach (var message in messages)
        {
            await client.Inbox!.AppendAsync(new MailKit.AppendRequest(message));
        }

        await client.DisconnectAsync(true);
    }

    private static MimeMessage Answer(string to, string id, string text)
    {
        var message = new MimeMessage
        {
            Subject = "Re: Hello",
            MessageId = id,
            InReplyTo = to,
            Body = new TextPart("plain") { Text = text },
        };
        message.From.Add(new MailboxAddress("Ida Rowan", "ida@example.com"));
        message.To.Add(new MailboxAddress("Ada Quill", "ada@example.com"));
        return message;
    }

    private static MailboxReader Reader(World world) =>
        new(
            world.Database,
            new MailReception(world.Database, world.Replies),
            new Engine.Secrets(new EphemeralDataProtectionProvider()),
            new ServerLine(true)
        );

    [Fact]
    public async Task Answers_in_a_mailbox_find_back_by_what_they_answer_and_are_read_once()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var ida = await world.PersonAsync("Ida");
        await world.ProgramAsync(
            "P",
            "\"startsWhen\":[{\"kind\":\"tag-added\",\"tag\":\"warm\"}],\"stopsWhen\":[{\"kind\":\"replied\"}]",
            """{"id":"a","kind":"email","when":{"from":"start","offset":"P0D"},"subject":"Hello","body":"b"},{"id":"b","kind":"email","when":{"from":"start","offset":"P3D"},"subject":"Later","body":"b"}"""
        );
        await world.DoAsync(d => d.PutTagAsync([ida.Id], "warm", default));
        await world.WorkAsync();
        await DeliverAsync(
            Answer(world.Mail.Sent.Single().MessageId!, "one@example.com", "Yes"),
            Answer("unknown@example.net", "two@example.com", "And one more thing")
        );
        for (var i = 0; i < 2; i++)
        {
            Assert.Null(await Reader(world).ReadAsync(world.Practice, Server(), default));
        }

        await world.WorkAsync();
        await using var db = world.Db();
        var received = await db.Received.OrderBy(r => r.Id).ToListAsync();
        Assert.Equal(["Yes", "And one more thing"], received.Select(r => r.Text));
        Assert.NotNull(received[0].TouchId);
        Assert.Null(received[1].TouchId);
        Assert.All(received, r => Assert.Equal(ida.Id, r.PersonId));
        Assert.Equal("replied", (await db.Runs.SingleAsync()).StopReason);
        await DeliverAsync(Answer("x@example.net", "three@example.com", "Third"));
        Assert.Null(await Reader(world).ReadAsync(world.Practice, Server(), default));
        Assert.Equal(3, await db.Received.CountAsync());
    }

    [Fact]
    public async Task A_mailbox_that_refuses_the_password_is_one_line_with_the_servers_words()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        for (var i = 0; i < 2; i++)
        {
            Assert.Contains("does not let “box” in", await Reader(world).ReadAsync(world.Practice, Server("wrong"), default), StringComparison.Ordinal);
        }

        await using (var db = world.Db())
        {
            var line = await db.Providers.SingleAsync();
            Assert.Equal("mail-in", line.Name);
            Assert.Contains("authentication failed", line.Trouble, StringComparison.OrdinalIgnoreCase);
        }

        Assert.Null(await Reader(world).ReadAsync(world.Practice, Server(), default));
        await using var after = world.Db();
        Assert.Null((await after.Providers.SingleAsync()).Trouble);
    }
}
