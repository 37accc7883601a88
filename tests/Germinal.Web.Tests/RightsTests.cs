using System.Net;
using System.Text.RegularExpressions;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Authorization;
using Microsoft.AspNetCore.Mvc.Testing;
using Microsoft.AspNetCore.Routing;
using Microsoft.Extensions.DependencyInjection;

namespace Germinal.Web.Tests;

/// <summary>The table of rights, walked: every endpoint of the API with every role.</summary>
public sealed partial class RightsTests(Site site) : IClassFixture<Site>
{
    [GeneratedRegex(@"\{[^}]*\}")]
    private static partial Regex Parameter();

    private IEnumerable<(RouteEndpoint Endpoint, string Method, string Path)> Endpoints() =>
        site
            .Services.GetRequiredService<EndpointDataSource>()
            .Endpoints.OfType<RouteEndpoint>()
            .Where(e =>
                e.RoutePattern.RawText?.StartsWith("/api/", StringComparison.Ordinal) == true
                && e.RoutePattern.RawText != "/api/{**rest}"
                && !e.RoutePattern.RawText.StartsWith("/api/stand-ins", StringComparison.Ordinal)
            )
            .SelectMany(e => (e.Metadata.GetMetadata<HttpMethodMetadata>()?.HttpMethods ?? []).Select(m => (e, m, e.RoutePattern.RawText!.TrimEnd('/'))));

    [Fact]
    public void Every_endpoint_of_the_api_names_its_right_and_only_signing_in_needs_none()
    {
        foreach (var (endpoint, method, path) in Endpoints())
        {
            var policies = endpoint.Metadata.GetOrderedMetadata<IAuthorizeData>().Select(a => a.Policy).ToList();
            if (path.StartsWith("/api/session", StringComparison.Ordinal))
            {
                Assert.Empty(policies);
                continue;
            }

            Assert.True(policies.Count > 0 && policies.TrueForAll(p => Rights.All.Any(r => r.Name == p)), $"{method} {path}");
        }
    }

    [Fact]
    public async Task Every_endpoint_answers_403_to_whoever_has_not_its_right_and_to_nobody_else()
    {
        var walked = 0;
        foreach (var (name, role) in new[] { ("ada2", "principal"), ("tomas2", "adviser"), ("wren2", "assistant") })
        {
            var member = await site.SignedInAsync(name);
            Assert.Equal(Rights.Of(role), (await member.GetAsync("/api/session")).GetProperty("may").EnumerateArray().Select(m => m.GetString()!));
            foreach (
                var (endpoint, method, path) in Endpoints()
                    .Where(e => e.Path != "/api/changes" && !e.Path.StartsWith("/api/session", StringComparison.Ordinal) && !e.Path.StartsWith("/api/clock/", StringComparison.Ordinal))
            )
            {
                var may = endpoint.Metadata.GetOrderedMetadata<IAuthorizeData>().All(a => Rights.Has(role, a.Policy!));
                var url = Parameter().Replace(path, m => m.Value.Contains("long", StringComparison.Ordinal) || m.Value.Contains("int", StringComparison.Ordinal) ? "1" : Guid.Empty.ToString());
                var answer = await member.SendAsync(
                    new HttpMethod(method),
                    url,
                    method == "GET" ? null
                        : path is "/api/imports" or "/api/images" or "/api/consent-files" ? Member.File([1], "x")
                        : new { }
                );
                Assert.True(may != (answer.StatusCode == HttpStatusCode.Forbidden), $"{role}: {method} {path} {(int)answer.StatusCode}");
                if (!may)
                {
                    Assert.Contains("one has to be", await answer.Content.ReadAsStringAsync(), StringComparison.Ordinal);
                }

                walked++;
            }
        }

        Assert.True(walked > 150, $"only {walked} were walked");
    }

    [Fact]
    public async Task An_assistant_records_a_no_and_a_first_yes_but_no_yes_over_a_no_and_sees_no_servers()
    {
        var wren = await site.SignedInAsync("wren");
        var person = (await wren.DoAsync("/api/people", new { firstName = "Ida" })).GetProperty("id").GetString();
        Task<HttpResponseMessage> Say(bool yes) =>
            wren.PostAsync(
                $"/api/people/{person}/consent",
                new
                {
                    channel = "email",
                    @in = yes,
                    reason = "told me",
                }
            );
        Assert.Equal(HttpStatusCode.OK, (await Say(true)).StatusCode);
        Assert.Equal(HttpStatusCode.OK, (await Say(false)).StatusCode);
        Assert.Equal(HttpStatusCode.Forbidden, (await Say(true)).StatusCode);
        var ada = await site.SignedInAsync("ada");
        Assert.Equal(
            HttpStatusCode.OK,
            (
                await ada.PostAsync(
                    $"/api/people/{person}/consent",
                    new
                    {
                        channel = "email",
                        @in = true,
                        reason = "told me",
                    }
                )
            ).StatusCode
        );
        Assert.Equal(System.Text.Json.JsonValueKind.Null, (await wren.GetAsync("/api/practice")).GetProperty("mailOut").ValueKind);

        // A list that carries consent is brought in by somebody who may; without that column it is anybody's.
        var import = (await wren.DoAsync("/api/imports", Member.File("First name,Email,Email OK?\nBo,bo@example.com,yes\n"u8.ToArray(), "l.csv")))
            .GetProperty("id")
            .GetString();
        Assert.Equal(HttpStatusCode.Forbidden, (await wren.PostAsync($"/api/imports/{import}/start")).StatusCode);
        await wren.DoAsync($"/api/imports/{import}/columns", new { columns = new[] { "first_name", "email", "" } }, HttpMethod.Put);
        Assert.Equal(HttpStatusCode.NoContent, (await wren.PostAsync($"/api/imports/{import}/start")).StatusCode);
    }

    /// <summary>The table in the docs is the table in the code.</summary>
    [Fact]
    public async Task The_docs_show_the_table()
    {
        var docs = await File.ReadAllTextAsync(Path.Combine(AppContext.BaseDirectory, "security.md"));
        foreach (var right in Rights.All)
        {
            string Mark(string role) => right.Roles.Contains(role) ? "yes" : "no";
            Assert.Contains($"| {right.What} | {Mark("principal")} | {Mark("adviser")} | {Mark("assistant")} | {Mark(Rights.Keeper)} |", docs, StringComparison.Ordinal);
        }
    }

    /// <summary>The page asks for the rights there are, and knows them all.</summary>
    [Fact]
    public async Task The_page_knows_the_rights_by_the_same_names()
    {
        var page = await File.ReadAllTextAsync(Path.Combine(AppContext.BaseDirectory, "session.ts"));
        var known = page[page.IndexOf("export type Right", StringComparison.Ordinal)..];
        known = known[..known.IndexOf(';', StringComparison.Ordinal)];
        Assert.Equal(
            Rights.All.Select(r => r.Name).Order(StringComparer.Ordinal),
            QuotedName().Matches(known).Select(m => m.Groups[1].Value).Order(StringComparer.Ordinal)
        );
    }

    [GeneratedRegex("'([a-z-]+)'")]
    private static partial Regex QuotedName();

    /// <summary>The guard used to be matched by the path's letters: /API/ went past it.</summary>
    [Theory]
    [InlineData("/api/people"), InlineData("/API/people"), InlineData("/Api/People"), InlineData("//api/people"), InlineData("/api/people/")]
    public async Task No_way_of_writing_an_address_goes_past_the_guard(string path)
    {
        var ada = await site.SignedInAsync("ada");
        var answer = await ada.SendAsync(HttpMethod.Post, path, new { firstName = "Unguarded" }, guarded: false);
        Assert.True(
            answer.StatusCode is HttpStatusCode.BadRequest or HttpStatusCode.NotFound or HttpStatusCode.MethodNotAllowed,
            $"{(int)answer.StatusCode}"
        );
        await using var db = site.Db();
        Assert.DoesNotContain(db.People.ToList(), p => p.FirstName == "Unguarded");
    }
}
