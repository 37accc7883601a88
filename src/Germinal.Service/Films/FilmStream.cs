using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Films;

/// <summary>A film read from place to place, one piece of it in memory at a time.</summary>
/// <param name="db">A context of its own; closed with the stream.</param>
/// <param name="film">Which.</param>
/// <param name="bytes">How long it is.</param>
public sealed class FilmStream(GerminalDb db, Guid film, long bytes) : Stream
{
    private byte[] piece = [];
    private int number = -1;
    private long place;

    /// <inheritdoc/>
    public override bool CanRead => true;

    /// <inheritdoc/>
    public override bool CanSeek => true;

    /// <inheritdoc/>
    public override bool CanWrite => false;

    /// <inheritdoc/>
    public override long Length => bytes;

    /// <inheritdoc/>
    public override long Position
    {
        get => place;
        set => Seek(value, SeekOrigin.Begin);
    }

    /// <inheritdoc/>
    public override async ValueTask<int> ReadAsync(Memory<byte> buffer, CancellationToken cancellationToken = default)
    {
        if (place >= bytes || buffer.Length == 0)
        {
            return 0;
        }

        var wanted = (int)(place / FilmPieceRow.Size);
        if (wanted != number)
        {
            piece =
                await db.FilmPieces.IgnoreQueryFilters().AsNoTracking().Where(p => p.FilmId == film && p.Number == wanted).Select(p => p.Content).FirstOrDefaultAsync(cancellationToken)
                ?? throw new EndOfStreamException(Said("The film was taken out while it was read."));
            number = wanted;
        }

        var from = (int)(place % FilmPieceRow.Size);
        var count = Math.Min(buffer.Length, piece.Length - from);
        piece.AsMemory(from, count).CopyTo(buffer);
        place += count;
        return count;
    }

    /// <inheritdoc/>
    public override Task<int> ReadAsync(byte[] buffer, int offset, int count, CancellationToken cancellationToken) => ReadAsync(buffer.AsMemory(offset, count), cancellationToken).AsTask();

    /// <inheritdoc/>
    public override int Read(byte[] buffer, int offset, int count) => throw new NotSupportedException("A film is read asynchronously.");

    /// <inheritdoc/>
    public override long Seek(long offset, SeekOrigin origin)
    {
        var to = origin switch
        {
            SeekOrigin.Begin => offset,
            SeekOrigin.Current => place + offset,
            _ => bytes + offset,
        };
        return place = to >= 0 ? to : throw new IOException(Said("There is nothing before the beginning of a film."));
    }

    /// <inheritdoc/>
    public override void Flush() { }

    /// <inheritdoc/>
    public override void SetLength(long value) => throw new NotSupportedException();

    /// <inheritdoc/>
    public override void Write(byte[] buffer, int offset, int count) => throw new NotSupportedException();

    /// <inheritdoc/>
    public override async ValueTask DisposeAsync()
    {
        await db.DisposeAsync();
        await base.DisposeAsync();
    }

    /// <inheritdoc/>
    protected override void Dispose(bool disposing)
    {
        if (disposing)
        {
            db.Dispose();
        }

        base.Dispose(disposing);
    }
}
