using System.Buffers;
using System.Net;
using Germinal.Channels.Mail;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.Hosting;
using Microsoft.Extensions.Logging;
using MimeKit;
using SmtpServer;
using SmtpServer.Mail;
using SmtpServer.Protocol;
using SmtpServer.Storage;

namespace Germinal.Service.Incoming;

/// <summary>Where mail for us is listened for.</summary>
/// <param name="Address">The address of this machine to listen on.</param>
/// <param name="Port">The port; 0 for none.</param>
public sealed record InboundSettings(IPAddress Address, int Port);

/// <summary>
/// A mail server of our own that takes in answers, reports and inquiries: only for addresses that we have given out, so that
/// it is of no use to anybody else. A message is acknowledged once it is in the database.
/// </summary>
public sealed partial class InboundListener(
    InboundSettings settings,
    MailReception reception,
    ReplyAddresses replies,
    IDbContextFactory<GerminalDb> databases,
    ILogger<InboundListener> log
)
    : BackgroundService
{
    private const int LargestMessage = 25_000_000;

    /// <inheritdoc/>
    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        if (settings.Port == 0)
        {
            return;
        }

        var options = new SmtpServerOptionsBuilder()
            .ServerName("germinal")
            .MaxMessageSize(LargestMessage)
            .Endpoint(e => e.Endpoint(new IPEndPoint(settings.Address, settings.Port)))
            .Build();
        var services = new SmtpServer.ComponentModel.ServiceProvider();
        services.Add(new Taking(reception, log));
        services.Add((IMailboxFilter)new OursOnly(replies, databases));
        await new SmtpServer.SmtpServer(options, services).StartAsync(stoppingToken);
    }

    private sealed class OursOnly(ReplyAddresses replies, IDbContextFactory<GerminalDb> databases) : IMailboxFilter
    {
        public Task<bool> CanAcceptFromAsync(ISessionContext context, IMailbox from, int size, CancellationToken cancellationToken) =>
            Task.FromResult(size <= LargestMessage);

        public async Task<bool> CanDeliverToAsync(ISessionContext context, IMailbox to, IMailbox from, CancellationToken cancellationToken)
        {
            var address = $"{to.User}@{to.Host}";
            if (replies.TryRead(address) is not null)
            {
                return true;
            }

            await using var db = await databases.CreateDbContextAsync(cancellationToken);
            return await AskedBy.PracticeOfAsync(db, [address], cancellationToken) is not null;
        }
    }

    private sealed class Taking(MailReception reception, ILogger log) : MessageStore
    {
        public override async Task<SmtpResponse> SaveAsync(
            ISessionContext context,
            IMessageTransaction transaction,
            ReadOnlySequence<byte> buffer,
            CancellationToken cancellationToken
        )
        {
            try
            {
                using var stream = new MemoryStream(buffer.ToArray());
                using var message = await MimeMessage.LoadAsync(stream, cancellationToken);
                await reception.TakeAsync(message, [.. transaction.To.Select(t => $"{t.User}@{t.Host}")], null, cancellationToken);
                return SmtpResponse.Ok;
            }
            catch (FormatException)
            {
                return new SmtpResponse(SmtpReplyCode.TransactionFailed, Said("this is no message (RFC 5322)"));
            }
#pragma warning disable CA1031 // Whatever happened, the sender keeps the message and tries again.
            catch (Exception e)
#pragma warning restore CA1031
            {
                LogNotTaken(log, e);
                return new SmtpResponse((SmtpReplyCode)451, Said("not now, try again"));
            }
        }
    }

    [LoggerMessage(Level = LogLevel.Error, Message = "A message that came in could not be taken in")]
    private static partial void LogNotTaken(ILogger logger, Exception error);
}
