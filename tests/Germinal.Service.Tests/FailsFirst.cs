using Germinal.Store;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Tests;

/// <summary>Fails for the first that asks, as where something is wrong with one message alone, and then works.</summary>
internal sealed class FailsFirst(IDbContextFactory<GerminalDb> works) : IDbContextFactory<GerminalDb>
{
    private int asked;

    public GerminalDb CreateDbContext() => Interlocked.Increment(ref asked) == 1 ? throw new FormatException("It cannot be read.") : works.CreateDbContext();
}
