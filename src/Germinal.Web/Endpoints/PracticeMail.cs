using Germinal.Channels.Mail;
using Germinal.Service;
using Germinal.Service.Engine;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;
using MimeKit;

namespace Germinal.Web.Endpoints;

/// <summary>A mail server. The password is never handed out; HasPassword says whether there is one.</summary>
public sealed record MailServerDto(string Host, int Port, string Security, string User, bool HasPassword)
{
    /// <summary>A server as pages show it; null where none is set.</summary>
    public static MailServerDto? Of(MailServerSettings? server) =>
        server is { Host.Length: > 0 } m ? new MailServerDto(m.Host, m.Port, m.Security, m.User, m.SealedPassword.Length > 0) : null;
}

/// <summary>A mail server as it stands on a page; without a host there is none.</summary>
/// <param name="Host">Its name.</param>
/// <param name="Port">Its port.</param>
/// <param name="Security">none, starttls or tls.</param>
/// <param name="User">The name to sign in with; empty for none.</param>
/// <param name="Password">The password; null where the one that is kept is meant.</param>
public sealed record ServerBody(
    [AtMost(253)] string Host = "",
    int Port = 0,
    [AtMost(40)] string Security = "",
    [AtMost(Lengths.Name)] string User = "",
    [AtMost(1000)] string? Password = null
);

/// <summary>What a server answered to a test.</summary>
public sealed record TestAnswer(bool Worked, string Words);

/// <summary>The practice's own mail servers: as they stand on a page, and tried before they are kept.</summary>
internal static class PracticeMail
{
    private static readonly string[] Securities = ["none", "starttls", "tls"];

    public static void Map(IEndpointRouteBuilder app)
    {
        var practice = app.MapGroup("/api/practice").WithTags("practice").RequireAuthorization(Rights.SeeServers);
        practice.MapPost("/mail-test", TestMail);
        practice.MapPost("/mailbox-test", TestMailbox);
    }

    /// <summary>
    /// A server without a new password keeps the one it has, if it is the very same server, user and security: a password is never
    /// sent where it was not given for.
    /// </summary>
    public static MailServerSettings? Server(ServerBody? body, MailServerSettings? old, Secrets secrets)
    {
        if (body is null || body.Host.Trim().Length == 0)
        {
            return null;
        }

        var made = new MailServerSettings
        {
            Host = body.Host.Trim(),
            Port = body.Port,
            Security = body.Security,
            User = body.User.Trim(),
        };
        made.SealedPassword =
            body.Password is { Length: > 0 } given ? secrets.Seal(given)
            : old is not null && SameServer(made, old) ? old.SealedPassword
            : "";
        return made;
    }

    /// <summary>Whether two are the very same server, with the same name and security.</summary>
    public static bool SameServer(MailServerSettings? one, MailServerSettings? other) =>
        string.Equals(one?.Host, other?.Host, StringComparison.OrdinalIgnoreCase) && (one?.Port, one?.Security, one?.User) == (other?.Port, other?.Security, other?.User);

    /// <summary>What is missing at a server that has changed: its password; null for nothing.</summary>
    public static string? MissingPassword(MailServerSettings? server) =>
        server is { User.Length: > 0, SealedPassword.Length: 0 }
            ? Say($"Give the password of “{server.User}” at {server.Host} anew: the one that is kept was given for another server, user or security.")
            : null;

    /// <summary>What is wrong with a server as it was written; null for nothing.</summary>
    public static string? ServerProblem(ServerBody? server) =>
        server is { Host.Length: > 0 } && (server.Port is < 1 or > 65535 || !Securities.Contains(server.Security, StringComparer.Ordinal))
            ? Said("A server needs a port from 1 to 65535 and a security of none, starttls or tls.")
            : null;

    /// <summary>The server that stands on the page, saved or not, with what is wrong with it.</summary>
    public static (MailServerSettings? Server, ValidationProblem? Problem) OnThePage(
        string field,
        ServerBody body,
        MailServerSettings? kept,
        Secrets secrets
    )
    {
        var server = Server(body, kept, secrets);
        var problem = ServerProblem(body) ?? MissingPassword(server);
        return (server, problem is null ? null : Problems.Field(field, problem));
    }

    /// <summary>Sends one message to the caller through the server that stands on the page, and says what it answered. Nothing is saved.</summary>
    private static async Task<Results<Ok<TestAnswer>, ValidationProblem, ProblemHttpResult>> TestMail(
        ServerBody body,
        GerminalDb db,
        Caller caller,
        IMailTransport mail,
        Secrets secrets,
        CancellationToken stop
    )
    {
        var practice = await db.Practices.AsNoTracking().SingleAsync(p => p.Id == db.PracticeId, stop);
        var (server, problem) = OnThePage("mailOut", body, practice.Settings.MailOut, secrets);
        if (problem is not null)
        {
            return problem;
        }

        return TypedResults.Ok(await SendTestAsync(db, practice, server, caller, mail, secrets, stop));
    }

    /// <summary>Sends one message to the caller by a server, and says what it answered.</summary>
    public static async Task<TestAnswer> SendTestAsync(
        GerminalDb db,
        PracticeRow practice,
        MailServerSettings? server,
        Caller caller,
        IMailTransport mail,
        Secrets secrets,
        CancellationToken stop
    )
    {
        var address = await db.Users.Where(u => u.Id == caller.Id).Select(u => u.Email!).SingleAsync(stop);
        using var message = new MimeMessage
        {
            Subject = Say($"A test from {practice.Name}"),
            Body = new TextPart("plain") { Text = Said("Mail goes out. Nothing else is to be done.\n") },
        };
        message.MessageId = MimeKit.Utils.MimeUtils.GenerateMessageId(address[(address.LastIndexOf('@') + 1)..]);
        message.From.Add(new MailboxAddress(caller.Name, address));
        message.To.Add(new MailboxAddress(caller.Name, address));
        var answer = await mail.SendAsync(message, null, secrets.Open(server), stop);
        var worked = answer.Result == Germinal.Channels.ProviderResult.Sent;
        var by = server is null ? Said("the installation's own server") : Say($"{server.Host}, port {server.Port}");
        return new TestAnswer(worked, worked ? Say($"sent to {address} by {by}: {answer.Words}") : answer.Words);
    }

    /// <summary>Reads the mailbox that stands on the page. Nothing is saved but the answers that lie in it.</summary>
    private static async Task<Results<Ok<TestAnswer>, ValidationProblem, ProblemHttpResult>> TestMailbox(
        ServerBody body,
        GerminalDb db,
        Service.Incoming.MailboxReader reader,
        Secrets secrets,
        CancellationToken stop
    )
    {
        var practice = await db.Practices.AsNoTracking().SingleAsync(p => p.Id == db.PracticeId, stop);
        var (mailbox, problem) = OnThePage("mailIn", body, practice.Settings.MailIn, secrets);
        if (problem is not null)
        {
            return problem;
        }

        if (secrets.Open(mailbox) is not { } server)
        {
            return TypedResults.Ok(new TestAnswer(false, Said("No mailbox is set.")));
        }

        var trouble = await reader.ReadAsync(practice.Id, server, stop);
        return TypedResults.Ok(new TestAnswer(trouble is null, trouble ?? Say($"the mailbox of {server.User} at {server.Host} was read.")));
    }
}
