using System.Buffers;
using SmtpServer;
using SmtpServer.Protocol;
using SmtpServer.Storage;

namespace Germinal.StandIns;

/// <summary>Takes every message and answers only when it is kept.</summary>
internal sealed class KeepStore(MailBox box, int delayMilliseconds, Failing failing) : MessageStore
{
    public override async Task<SmtpResponse> SaveAsync(
        ISessionContext context,
        IMessageTransaction transaction,
        ReadOnlySequence<byte> buffer,
        CancellationToken cancellationToken
    )
    {
        if (failing.Refuses())
        {
            return new SmtpResponse((SmtpReplyCode)451, "busy, try again");
        }

        box.Keep(buffer.ToArray(), transaction.From is { } sender && sender.Host.Length > 0 ? $"{sender.User}@{sender.Host}" : null);
        if (delayMilliseconds > 0)
        {
            await Task.Delay(delayMilliseconds, cancellationToken);
        }

        return new SmtpResponse(SmtpReplyCode.Ok, "kept");
    }
}
