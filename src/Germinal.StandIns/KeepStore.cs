using System.Buffers;
using SmtpServer;
using SmtpServer.Protocol;
using SmtpServer.Storage;

namespace Germinal.StandIns;

/// <summary>Takes every message and answers only when it is kept.</summary>
internal sealed class KeepStore(MailBox box, int delayMilliseconds) : MessageStore
{
    public override async Task<SmtpResponse> SaveAsync(ISessionContext context, IMessageTransaction transaction, ReadOnlySequence<byte> buffer, CancellationToken cancellationToken)
    {
        box.Keep(buffer.ToArray());
        if (delayMilliseconds > 0)
        {
            await Task.Delay(delayMilliseconds, cancellationToken);
        }

        return new SmtpResponse(SmtpReplyCode.Ok, "kept");
    }
}
