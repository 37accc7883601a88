using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Http;

namespace Germinal.Web.Tests;

/// <summary>A server somewhere else, which answers whatever a test says.</summary>
public sealed class Elsewhere : IAsyncDisposable
{
    private readonly WebApplication app;

    private Elsewhere(WebApplication app) => this.app = app;

    /// <summary>Where it is, without a slash at its end.</summary>
    public string Address => app.Urls.First();

    public static async Task<Elsewhere> StartAsync(Func<HttpContext, Task> answer)
    {
        var builder = WebApplication.CreateSlimBuilder();
        builder.WebHost.UseUrls("http://127.0.0.1:0");
        var made = builder.Build();
        made.Run(new RequestDelegate(answer));
        await made.StartAsync();
        return new Elsewhere(made);
    }

    public async ValueTask DisposeAsync() => await app.DisposeAsync();
}
