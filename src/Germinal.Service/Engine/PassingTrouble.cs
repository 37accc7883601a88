using System.Data.Common;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Engine;

/// <summary>What fails through no fault of the work itself, and is tried again as it is.</summary>
internal static class PassingTrouble
{
    /// <summary>True where the database is away, two workers met, or the worker ends.</summary>
    public static bool Is(Exception e, CancellationToken stop) =>
        stop.IsCancellationRequested
        || e.GetBaseException() is DbException { IsTransient: true } or System.Net.Sockets.SocketException or OperationCanceledException
        || e is DbUpdateConcurrencyException;
}
