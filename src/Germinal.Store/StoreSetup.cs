using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Design;
using Microsoft.Extensions.DependencyInjection;

namespace Germinal.Store;

/// <summary>Connects the database.</summary>
public static class StoreSetup
{
    /// <summary>Adds contexts for a connection string: scoped for requests, and a factory for the worker.</summary>
    public static IServiceCollection AddGerminalStore(this IServiceCollection services, string connectionString)
    {
        services.AddDbContextFactory<GerminalDb>(o => Configure(o, connectionString));
        return services;
    }

    /// <summary>Npgsql with NodaTime types and snake_case names.</summary>
    public static void Configure(DbContextOptionsBuilder options, string connectionString) =>
        options.UseNpgsql(connectionString, o => o.UseNodaTime()).UseSnakeCaseNamingConvention().AddInterceptors(Sight.Telling.Instance);
}

/// <summary>For the migrations tool only; it never connects.</summary>
internal sealed class DesignTimeFactory : IDesignTimeDbContextFactory<GerminalDb>
{
    public GerminalDb CreateDbContext(string[] args)
    {
        var options = new DbContextOptionsBuilder<GerminalDb>();
        StoreSetup.Configure(options, "Host=127.0.0.1;Database=germinal");
        return new GerminalDb(options.Options);
    }
}
