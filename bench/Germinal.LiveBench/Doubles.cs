using System.Buffers;
using Germinal.Channels;
using Germinal.Channels.Mail;
using MimeKit;
using SmtpServer;
using SmtpServer.Protocol;
using SmtpServer.Storage;

namespace Germinal.LiveBench;

/// <summary>Takes every message and keeps none.</summary>
internal sealed class Nowhere : MessageStore
{
    public override Task<SmtpResponse> SaveAsync(
        ISessionContext context,
        IMessageTransaction transaction,
        ReadOnlySequence<byte> buffer,
        CancellationToken cancellationToken
    ) => Task.FromResult(SmtpResponse.Ok);
}

/// <summary>Keeps the first message that goes through it.</summary>
internal sealed class KeepsOne(SmtpTransport inner) : IMailTransport, IDisposable
{
    private byte[]? kept;

    public byte[] Kept => kept!;

    public string? ReturnPath { get; private set; }

    public async Task<ProviderAnswer> SendAsync(MimeMessage message, string? returnPath, MailServer? own, CancellationToken stop)
    {
        if (kept is null)
        {
            using var stream = new MemoryStream();
            await message.WriteToAsync(stream, stop);
            ReturnPath = returnPath;
            kept = stream.ToArray();
        }

        return await inner.SendAsync(message, returnPath, own, stop);
    }

    public Task<LookedUp> LookUpAsync(string messageId, MailServer? own, CancellationToken stop) => inner.LookUpAsync(messageId, own, stop);

    public void Dispose() => inner.Dispose();
}
