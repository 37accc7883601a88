using Germinal.Store;
using Germinal.Store.Tests;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Mvc.Testing;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;

namespace Germinal.Web.Tests;

/// <summary>A new database in real use, without the demo.</summary>
public sealed class FirstPracticeTests : IDisposable
{
    private readonly TestDatabase database = new();
    private readonly string data = Directory.CreateTempSubdirectory("germinal-first-").FullName;

    public void Dispose()
    {
        database.Dispose();
        Directory.Delete(data, true);
    }

    private WebApplicationFactory<Program> Started(params (string Name, string Value)[] settings) =>
        new WebApplicationFactory<Program>().WithWebHostBuilder(builder =>
        {
            builder.UseEnvironment("Production");
            builder.UseSetting("GERMINAL_DB", database.ConnectionString);
            builder.UseSetting("GERMINAL_DATA", data);
            foreach (var (name, value) in settings)
            {
                builder.UseSetting(name, value);
            }
        });

    [Theory]
    [InlineData("not an address", "", "GERMINAL_PRINCIPAL")]
    [InlineData("ada@example.com", "Mars/Olympus", "GERMINAL_ZONE")]
    public void With_a_wrong_principal_or_zone_it_says_what_to_set(string principal, string zone, string named)
    {
        using var site = Started(("GERMINAL_PRINCIPAL", principal), ("GERMINAL_ZONE", zone));
        Assert.Contains(named, Assert.Throws<InvalidOperationException>(() => site.CreateClient()).Message, StringComparison.Ordinal);
    }

    [Fact]
    public async Task Without_a_principal_it_waits_for_whoever_has_the_key_that_only_the_owner_reads()
    {
        await using var site = Started();
        using var client = site.CreateClient();
        var file = Path.Combine(data, "beginning-key");
        Assert.Equal(UnixFileMode.UserRead | UnixFileMode.UserWrite, File.GetUnixFileMode(file));
        var key = await File.ReadAllTextAsync(file);
        Assert.True(key.Length > 20, key);

        // Started again, it is the same.
        await using var again = Started();
        using var other = again.CreateClient();
        Assert.Equal(key, await File.ReadAllTextAsync(file));
    }

    [Fact]
    public async Task The_principal_is_made_once_and_their_password_stands_where_only_the_owner_reads_it()
    {
        var file = Path.Combine(data, "sign-ins");
        for (var start = 0; start < 2; start++)
        {
            await using var site = Started(("GERMINAL_PRINCIPAL", "ada@example.com"), ("GERMINAL_ZONE", "America/New_York"));
            using var client = site.CreateClient();
            await using var scope = site.Services.CreateAsyncScope();
            var db = scope.ServiceProvider.GetRequiredService<GerminalDb>();
            Assert.Equal("America/New_York", (await db.Practices.SingleAsync()).ZoneId);
            var principal = await db.Users.SingleAsync();
            Assert.Equal(("ada@example.com", "principal"), (principal.Email, principal.Role));
            Assert.Empty(await db.People.IgnoreQueryFilters().ToListAsync());
            Assert.Equal(UnixFileMode.UserRead | UnixFileMode.UserWrite, File.GetUnixFileMode(file));
        }

        Assert.StartsWith("ada@example.com ", Assert.Single(await File.ReadAllLinesAsync(file)), StringComparison.Ordinal);
    }
}
