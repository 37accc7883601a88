using System.Globalization;
using System.IO.Compression;
using System.Net;
using System.Net.Http.Json;
using System.Text.Json;
using Germinal.Store;
using Germinal.Store.Tests;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Mvc.Testing;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;

namespace Germinal.Web.Tests;

/// <summary>The practice as a whole: taken out by a principal who shows that it is them, brought into an empty installation, let go and kept.</summary>
public sealed class WholeApiTests(Site site) : IClassFixture<Site>
{
    private const string Password = "the kettle knew it first";

    private static async Task<byte[]> TakenOutAsync(Member ada)
    {
        var address = (await ada.DoAsync("/api/whole/archive", new { password = Site.Password })).GetProperty("address").GetString()!;
        var answer = await ada.Http.GetAsync(address);
        Assert.Equal(HttpStatusCode.OK, answer.StatusCode);
        Assert.Equal("application/zip", answer.Content.Headers.ContentType?.MediaType);
        Assert.EndsWith(".germinal.zip", answer.Content.Headers.ContentDisposition?.FileName, StringComparison.Ordinal);
        return await answer.Content.ReadAsByteArrayAsync();
    }

    [Fact]
    public async Task Only_whoever_shows_that_it_is_them_gets_everything_and_only_their_own_practice()
    {
        var ada = await site.SignedInAsync("ada");
        Assert.Equal((400, "This is not your password. Give the one you sign in with, to show that it is you."), await ada.RefusedAsync("/api/whole/archive", new { password = "not this one" }, "password"));
        Assert.Equal(HttpStatusCode.Gone, (await ada.Http.GetAsync("/api/whole/archive")).StatusCode);
        Assert.Equal(HttpStatusCode.Gone, (await ada.Http.GetAsync("/api/whole/archive?key=made%20up")).StatusCode);

        await ada.DoAsync("/api/people", new { firstName = "Ida", lastName = "<b>Rowan</b>" });
        var address = (await ada.DoAsync("/api/whole/archive", new { password = Site.Password })).GetProperty("address").GetString()!;

        // The address is worth nothing to anybody else.
        Assert.Equal(HttpStatusCode.NotFound, (await (await site.SignedInAsync("ada2")).Http.GetAsync(address)).StatusCode);
        Assert.Equal(HttpStatusCode.Forbidden, (await (await site.SignedInAsync("tomas")).Http.GetAsync(address)).StatusCode);
        Assert.Equal(HttpStatusCode.Unauthorized, (await (await site.NobodyAsync()).Http.GetAsync(address)).StatusCode);

        using var zip = new ZipArchive(new MemoryStream(await TakenOutAsync(ada)));
        using var members = new StreamReader(zip.GetEntry("tables/AspNetUsers.csv")!.Open());
        var said = await members.ReadToEndAsync();
        Assert.Contains("tomas@example.com", said, StringComparison.Ordinal);
        Assert.DoesNotContain("tomas2@example.com", said, StringComparison.Ordinal);
        using var people = new StreamReader(zip.GetEntry("people.csv")!.Open());
        Assert.Contains("<b>Rowan</b>", await people.ReadToEndAsync(), StringComparison.Ordinal);

        // It can be fetched ten times at once.
        var many = await Task.WhenAll(Enumerable.Range(0, 10).Select(_ => ada.Http.GetAsync(address)));
        Assert.All(many, m => Assert.Equal(HttpStatusCode.OK, m.StatusCode));
    }

    [Fact]
    public async Task A_practice_is_let_go_by_its_name_and_kept_after_all()
    {
        var ada = await site.SignedInAsync("ada2");
        Assert.Contains("Write “Alder Quay Planning2”", (await ada.RefusedAsync("/api/whole/end", new { name = "something", password = Site.Password }, "name")).Message, StringComparison.Ordinal);
        Assert.Equal(400, (await ada.RefusedAsync("/api/whole/end", new { name = "Alder Quay Planning2", password = "no" }, "password")).Status);
        var many = await Task.WhenAll(Enumerable.Range(0, 10).Select(_ => ada.DoAsync("/api/whole/end", new { name = " alder quay planning2 ", password = Site.Password })));
        Assert.Single(many.Select(m => m.GetProperty("endsAt").GetString()).Distinct());
        Assert.Equal(many[0].GetProperty("endsAt").GetString(), (await ada.GetAsync("/api/session")).GetProperty("endsAt").GetString());
        await using (var db = site.Database.For(site.Other))
        {
            Assert.Equal(1, await db.OwnMails.CountAsync(m => m.Subject == "Alder Quay Planning2 goes in a week"));
        }

        await ada.DoAsync("/api/whole/keep");
        await ada.DoAsync("/api/whole/keep");
        Assert.Equal(JsonValueKind.Null, (await ada.GetAsync("/api/whole")).GetProperty("endsAt").ValueKind);
        Assert.Equal(JsonValueKind.Null, (await (await site.SignedInAsync("ada")).GetAsync("/api/session")).GetProperty("endsAt").ValueKind);
    }

    private sealed class Empty : WebApplicationFactory<Program>
    {
        private readonly TestDatabase database = new();
        private readonly string data = Directory.CreateTempSubdirectory("germinal-bring-").FullName;

        public string Key => File.ReadAllText(Path.Combine(data, "beginning-key"));

        public bool HasKey => File.Exists(Path.Combine(data, "beginning-key"));

        protected override void ConfigureWebHost(IWebHostBuilder builder)
        {
            builder.UseEnvironment("Production");
            builder.UseSetting("GERMINAL_DB", database.ConnectionString);
            builder.UseSetting("GERMINAL_DATA", data);
        }

        public async Task<Member> BrowserAsync()
        {
            var member = new Member(CreateClient(new WebApplicationFactoryClientOptions { AllowAutoRedirect = false }));
            await member.RefreshGuardAsync();
            return member;
        }

        protected override void Dispose(bool disposing)
        {
            base.Dispose(disposing);
            if (disposing && Directory.Exists(data))
            {
                database.Dispose();
                Directory.Delete(data, true);
            }
        }
    }

    private static MultipartFormDataContent Form(string key, byte[] archive, string email, string password = Password, bool goesOn = false)
    {
        var form = new MultipartFormDataContent();
        form.Headers.Add("X-Germinal-Key", key);
        foreach (var (name, value) in new[] { ("name", "Ada Quill"), ("email", email), ("password", password), ("goesOn", goesOn ? "true" : "false") })
        {
            form.Add(new StringContent(value), name);
        }

        form.Add(new ByteArrayContent(archive), "file", "practice.germinal.zip");
        return form;
    }

    [Fact]
    public async Task An_empty_installation_takes_a_practice_in_once_and_its_principal_signs_in()
    {
        var ada = await site.SignedInAsync("ada");
        await ada.DoAsync("/api/people", new { firstName = "Ola", lastName = "Birch" });
        var archive = await TakenOutAsync(ada);
        await using var empty = new Empty();
        var browser = await empty.BrowserAsync();
        var key = empty.Key;

        Assert.Contains("not whole", (await browser.RefusedAsync("/api/session/bring", Form("made up", archive, "ada@example.com"), "key")).Message, StringComparison.Ordinal);
        Assert.Equal(400, (await browser.RefusedAsync("/api/session/bring", Form(key, archive, "no address"), "email")).Status);
        Assert.Equal(400, (await browser.RefusedAsync("/api/session/bring", Form(key, archive, "ada@example.com", "short"), "password")).Status);
        Assert.Contains("no archive", (await browser.RefusedAsync("/api/session/bring", Form(key, [1, 2, 3], "ada@example.com"), "file")).Message, StringComparison.Ordinal);
        Assert.Contains("no archive", (await browser.RefusedAsync("/api/session/bring", Form(key, archive[..(archive.Length / 2)], "ada@example.com"), "file")).Message, StringComparison.Ordinal);
        Assert.Equal(400, (await browser.RefusedAsync("/api/session/bring", new { name = "Ada Quill" }, "file")).Status);
        Assert.True((await browser.GetAsync("/api/session")).GetProperty("noPractice").GetBoolean());

        // Of several at once one brings it in.
        var browsers = await Task.WhenAll(Enumerable.Range(0, 4).Select(_ => empty.BrowserAsync()));
        var many = await Task.WhenAll(browsers.Select(b => b.PostAsync("/api/session/bring", Form(key, archive, "ada@example.com"))));
        Assert.Single(many, m => m.StatusCode == HttpStatusCode.NoContent);
        Assert.Equal(3, many.Count(m => m.StatusCode == HttpStatusCode.Conflict));
        Assert.False(empty.HasKey);

        var there = browsers[Array.FindIndex(many, m => m.StatusCode == HttpStatusCode.NoContent)];
        await there.RefreshGuardAsync();
        var session = await there.GetAsync("/api/session");
        Assert.Equal(("Alder Quay Planning", "principal", "Ada Quill"), (session.GetProperty("practice").GetString(), session.GetProperty("role").GetString(), session.GetProperty("member").GetProperty("name").GetString()));
        Assert.Contains("Birch", (await there.GetAsync("/api/people?size=50")).ToString(), StringComparison.Ordinal);

        // The others have no password here; they are invited anew.
        var tomas = (await there.GetAsync("/api/members")).GetProperty("members").EnumerateArray().Single(m => m.GetProperty("email").GetString() == "tomas@example.com");
        Assert.Equal("invited", tomas.GetProperty("state").GetString());
        await there.DoAsync($"/api/members/{tomas.GetProperty("id").GetGuid()}/invite");
    }
}
