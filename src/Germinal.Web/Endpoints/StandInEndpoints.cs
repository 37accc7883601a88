using Germinal.Web.Hosting;

namespace Germinal.Web.Endpoints;

/// <summary>A message in the stand-in's box.</summary>
public sealed record MailLine(int Number, string MessageId, string From, string To, string Subject, string Date);

/// <summary>A page of the box, newest first.</summary>
public sealed record MailPage(int Total, IReadOnlyList<MailLine> Messages);

/// <summary>A message opened.</summary>
public sealed record MailOpened(MailLine Message, IReadOnlyList<IReadOnlyList<string>> Headers, string Text, string Html);

/// <summary>Reading what the mail stand-in took. Only there while stand-ins run.</summary>
public static class StandInEndpoints
{
    public static void Map(IEndpointRouteBuilder app, Settings settings)
    {
        if (settings.StandIns is not { } address)
        {
            return;
        }

        var mail = app.MapGroup("/api/stand-ins/mail").WithTags("stand-ins").RequireAuthorization();
        mail.MapGet("", async (int? before, string? search, IHttpClientFactory http, CancellationToken stop) =>
            await http.CreateClient().GetFromJsonAsync<MailPage>($"{address}/messages?search={Uri.EscapeDataString(search ?? "")}{(before is null ? "" : $"&before={before}")}", stop));
        mail.MapGet("/{number:int}", async Task<Microsoft.AspNetCore.Http.HttpResults.Results<Microsoft.AspNetCore.Http.HttpResults.Ok<MailOpened>, Microsoft.AspNetCore.Http.HttpResults.NotFound>> (int number, IHttpClientFactory http, CancellationToken stop) =>
        {
            using var response = await http.CreateClient().GetAsync($"{address}/messages/{number}", stop);
            return response.IsSuccessStatusCode ? TypedResults.Ok((await response.Content.ReadFromJsonAsync<MailOpened>(stop))!) : TypedResults.NotFound();
        });
        mail.MapGet("/{number:int}/source", async Task<IResult> (int number, IHttpClientFactory http, CancellationToken stop) =>
        {
            using var response = await http.CreateClient().GetAsync($"{address}/messages/{number}/source", stop);
            return response.IsSuccessStatusCode ? Results.Bytes(await response.Content.ReadAsByteArrayAsync(stop), "text/plain; charset=utf-8") : Results.NotFound();
        }).ExcludeFromDescription();
    }
}
