using System.Diagnostics;
using System.Net;
using System.Net.Sockets;
using Germinal.Channels.Mail;
using MailKit.Net.Imap;
using MimeKit;

namespace Germinal.Service.Tests;

/// <summary>Debian's dovecot on loopback, which ./test installs: mailboxes of whoever signs in with the password <c>right</c>.</summary>
public sealed class Dovecot : IAsyncLifetime
{
    private readonly string folder = Path.Combine(Path.GetTempPath(), $"germinal-imap-{Guid.NewGuid():N}");
    private Process? dovecot;
    private int port;

    /// <summary>The server for somebody.</summary>
    public MailServer Server(string user = "box", string password = "right") => new("127.0.0.1", port, 1, null, "none", user, password);

    /// <summary>Puts messages into a folder of somebody's, which is made where it is not there.</summary>
    public async Task DeliverAsync(string user, string? folder, params MimeMessage[] messages)
    {
        using var client = new ImapClient();
        await client.ConnectAsync("127.0.0.1", port, MailKit.Security.SecureSocketOptions.None);
        await client.AuthenticateAsync(user, "right");
        var to = folder is null ? client.Inbox! : await FolderAsync(client, folder);
        foreach (var message in messages)
        {
            await to.AppendAsync(new MailKit.AppendRequest(message));
        }

        await client.DisconnectAsync(true);
    }

    /// <summary>What lies in a folder of somebody's.</summary>
    public async Task<List<MimeMessage>> ReadAsync(string user, string folder)
    {
        using var client = new ImapClient();
        await client.ConnectAsync("127.0.0.1", port, MailKit.Security.SecureSocketOptions.None);
        await client.AuthenticateAsync(user, "right");
        var from = await FolderAsync(client, folder);
        await from.OpenAsync(MailKit.FolderAccess.ReadOnly);
        var messages = new List<MimeMessage>();
        foreach (var id in await from.SearchAsync(MailKit.Search.SearchQuery.All))
        {
            messages.Add(await from.GetMessageAsync(id));
        }

        await client.DisconnectAsync(true);
        return messages;
    }

    private static async Task<MailKit.IMailFolder> FolderAsync(ImapClient client, string name)
    {
        var root = client.GetFolder(client.PersonalNamespaces[0]);
        return (await root.GetSubfoldersAsync(false)).FirstOrDefault(f => f.Name == name) ?? (await root.CreateAsync(name, true))!;
    }

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
            namespace inbox {
              inbox = yes
              mailbox Sent {
                auto = subscribe
                special_use = \Sent
              }
            }
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

}
