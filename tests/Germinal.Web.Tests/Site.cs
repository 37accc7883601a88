using System.Net.Http.Json;
using System.Text.Json;
using Germinal.Service.Engine;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Store.Tests;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Identity;
using Microsoft.AspNetCore.Mvc.Testing;
using Microsoft.Extensions.DependencyInjection;
using NodaTime;

namespace Germinal.Web.Tests;

/// <summary>The web application on a database of its own, with two practices, reached through its real pipeline.</summary>
public sealed class Site : WebApplicationFactory<Program>, IAsyncLifetime
{
    public const string Password = "larch-quay-heron-21";
    private readonly string data = Path.Combine(Path.GetTempPath(), $"germinal-web-tests-{Guid.NewGuid():N}");

    public static Instant Now { get; } = Instant.FromUtc(2027, 3, 1, 13, 15);

    public TestDatabase Database { get; } = new();

    public Guid Practice { get; private set; }

    public Guid Other { get; private set; }

    public async Task InitializeAsync()
    {
        (Practice, var ada, var tomas) = await Database.PracticeAsync(Now);
        (Other, var stranger, _) = await Database.PracticeAsync(Now, "2");
        await using var scope = Services.CreateAsyncScope();
        var users = scope.ServiceProvider.GetRequiredService<UserManager<MemberUser>>();
        _ = (ada, tomas, stranger);
        foreach (var user in users.Users.ToList())
        {
            Assert.True((await users.AddPasswordAsync(user, Password)).Succeeded);
        }
    }

    Task IAsyncLifetime.DisposeAsync()
    {
        Dispose();
        Database.Dispose();
        if (Directory.Exists(data))
        {
            Directory.Delete(data, true);
        }

        return Task.CompletedTask;
    }

    protected override void ConfigureWebHost(IWebHostBuilder builder)
    {
        Directory.CreateDirectory(data);
        builder.UseEnvironment("Testing");
        builder.UseSetting("GERMINAL_DB", Database.ConnectionString);
        builder.UseSetting("GERMINAL_DATA", data);
        builder.UseSetting("GERMINAL_PRIVATE_SERVERS", "1");
        if (Environment.GetEnvironmentVariable("GERMINAL_WRITE_OPENAPI") is { Length: > 0 })
        {
            // The document that the front end's client is made from has the stand-ins' pages in it.
            builder.UseSetting("GERMINAL_STANDINS", "http://127.0.0.1:9");
        }

        builder.UseSetting("GERMINAL_URL", "https://germinal.example.com");

        // All that these tests send comes from one client; FormBrakeTests has the brake itself.
        builder.UseSetting("GERMINAL_FORMS_OF_CLIENT", "1000000");
    }

    /// <summary>A client that nobody is signed in with; it keeps cookies and carries the guard.</summary>
    public async Task<Member> NobodyAsync()
    {
        var member = new Member(
            CreateClient(new WebApplicationFactoryClientOptions { AllowAutoRedirect = false, BaseAddress = new Uri("https://localhost") })
        );
        await member.RefreshGuardAsync();
        return member;
    }

    /// <summary>A member signed in: ada, tomas or wren, or ada2, tomas2 and wren2 of the other practice.</summary>
    public async Task<Member> SignedInAsync(string name)
    {
        var member = await NobodyAsync();
        var answer = await member.PostAsync("/api/session", new { email = $"{name}@example.com", password = Password });
        Assert.True(answer.IsSuccessStatusCode, await answer.Content.ReadAsStringAsync());
        await member.RefreshGuardAsync();
        return member;
    }

    /// <summary>The engine does what is due now.</summary>
    public async Task WorkAsync()
    {
        var room = Services.GetRequiredService<EngineRoom>();
        while (await room.WorkAsync(default)) { }
    }

    public GerminalDb Db() => Database.For(Practice);
}

/// <summary>A browser, as far as the API cares.</summary>
public sealed class Member(HttpClient http)
{
    public string Guard { get; set; } = "";

    public HttpClient Http => http;

    public async Task RefreshGuardAsync() => Guard = (await GetAsync("/api/session")).GetProperty("guard").GetString()!;

    public async Task<JsonElement> GetAsync(string path)
    {
        var answer = await http.GetAsync(path);
        var text = await answer.Content.ReadAsStringAsync();
        Assert.True(answer.IsSuccessStatusCode, $"{path}: {(int)answer.StatusCode} {text}");
        return JsonSerializer.Deserialize<JsonElement>(text);
    }

    public Task<HttpResponseMessage> SendAsync(HttpMethod method, string path, object? body = null, bool guarded = true)
    {
        var request = new HttpRequestMessage(method, path);
        if (guarded)
        {
            request.Headers.Add("X-Germinal-Guard", Guard);
        }

        request.Content =
            body is HttpContent content ? content
            : body is null ? null
            : JsonContent.Create(body);
        return http.SendAsync(request);
    }

    public Task<HttpResponseMessage> PostAsync(string path, object? body = null) => SendAsync(HttpMethod.Post, path, body);

    /// <summary>Posts and reads the answer, which must be a success.</summary>
    public async Task<JsonElement> DoAsync(string path, object? body = null, HttpMethod? method = null)
    {
        var answer = await SendAsync(method ?? HttpMethod.Post, path, body);
        var text = await answer.Content.ReadAsStringAsync();
        Assert.True(answer.IsSuccessStatusCode, $"{path}: {(int)answer.StatusCode} {text}");
        return text.Length == 0 ? default : JsonSerializer.Deserialize<JsonElement>(text);
    }

    /// <summary>Posts something wrong; gives the status and the field's message.</summary>
    public async Task<(int Status, string Message)> RefusedAsync(string path, object? body, string field, HttpMethod? method = null)
    {
        var answer = await SendAsync(method ?? HttpMethod.Post, path, body);
        Assert.True((int)answer.StatusCode < 500, $"{path}: {(int)answer.StatusCode} {await answer.Content.ReadAsStringAsync()}");
        var json = await answer.Content.ReadFromJsonAsync<JsonElement>();
        Assert.Equal("application/problem+json", answer.Content.Headers.ContentType?.MediaType);
        var message =
            json.TryGetProperty("errors", out var errors) && errors.TryGetProperty(field, out var list) ? list[0].GetString()!
            : json.TryGetProperty("detail", out var detail) ? detail.GetString()!
            : "";
        return ((int)answer.StatusCode, message);
    }

    public static MultipartFormDataContent File(byte[] content, string name)
    {
        var form = new MultipartFormDataContent();
        form.Add(new ByteArrayContent(content), "file", name);
        return form;
    }
}
