using Germinal.Service;
using Germinal.Service.Import;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;

namespace Germinal.Web.Endpoints;

/// <summary>A message in the stand-in's box.</summary>
public sealed record MailLine(int Number, string MessageId, string From, string To, string Subject, string Date);

/// <summary>A page of the box, newest first.</summary>
public sealed record MailPage(int Total, IReadOnlyList<MailLine> Messages);

/// <summary>A message opened.</summary>
public sealed record MailOpened(MailLine Message, IReadOnlyList<IReadOnlyList<string>> Headers, string Text, string Html);

/// <summary>A text at the stand-in. One of ours has the key it was handed over with; one without was written by somebody else.</summary>
public sealed record TextLine(string Id, string? Key, string To, string From, string Body);

/// <summary>The newest texts, newest first.</summary>
public sealed record TextPage(int Total, IReadOnlyList<TextLine> Messages);

/// <summary>Reading what the stand-ins for mail and texts took, and writing a text as somebody would. Only there while stand-ins run.</summary>
public static class StandInEndpoints
{
    public sealed record TextBody(string From, string Body, string? To);

    public sealed record AnswerBody([AtMost(Service.Lengths.Remark)] string Text);

    public static void Map(IEndpointRouteBuilder app, Settings settings)
    {
        if (settings.StandIns is not { } address)
        {
            return;
        }

        var mail = app.MapGroup("/api/stand-ins/mail").WithTags("stand-ins").RequireAuthorization(Rights.Work);
        mail.MapGet(
            "",
            async (int? before, string? search, IHttpClientFactory http, CancellationToken stop) =>
                await http.CreateClient()
                    .GetFromJsonAsync<MailPage>(
                        $"{address}/messages?search={Uri.EscapeDataString(search ?? "")}{(before is null ? "" : $"&before={before}")}",
                        stop
                    )
        );
        mail.MapGet(
            "/{number:int}",
            async Task<Results<Ok<MailOpened>, NotFound>> (int number, IHttpClientFactory http, CancellationToken stop) =>
            {
                using var response = await http.CreateClient().GetAsync($"{address}/messages/{number}", stop);
                return response.IsSuccessStatusCode
                    ? TypedResults.Ok((await response.Content.ReadFromJsonAsync<MailOpened>(stop))!)
                    : TypedResults.NotFound();
            }
        );
        mail.MapPost(
            "/{number:int}/answer",
            async Task<Results<NoContent, NotFound, ValidationProblem, ProblemHttpResult>> (
                int number,
                AnswerBody body,
                IHttpClientFactory http,
                CancellationToken stop
            ) =>
            {
                if (string.IsNullOrWhiteSpace(body.Text))
                {
                    return Problems.Field("text", "Write what they answer.");
                }

                using var response = await http.CreateClient().PostAsJsonAsync($"{address}/messages/{number}/answer", new { text = body.Text.Trim() }, stop);
                return response.StatusCode switch
                {
                    System.Net.HttpStatusCode.NoContent => TypedResults.NoContent(),
                    System.Net.HttpStatusCode.NotFound => TypedResults.NotFound(),
                    _ => TypedResults.Problem("Nobody takes answers to this message in.", statusCode: StatusCodes.Status502BadGateway, title: "Not taken in"),
                };
            }
        );
        mail.MapGet(
                "/{number:int}/source",
                async Task<IResult> (int number, IHttpClientFactory http, CancellationToken stop) =>
                {
                    using var response = await http.CreateClient().GetAsync($"{address}/messages/{number}/source", stop);
                    return response.IsSuccessStatusCode
                        ? Results.Bytes(await response.Content.ReadAsByteArrayAsync(stop), "text/plain; charset=utf-8")
                        : Results.NotFound();
                }
            )
            .ExcludeFromDescription();

        var texts = app.MapGroup("/api/stand-ins/texts").WithTags("stand-ins").RequireAuthorization(Rights.Work);
        texts.MapGet(
            "",
            async (int? most, IHttpClientFactory http, CancellationToken stop) =>
                await http.CreateClient().GetFromJsonAsync<TextPage>($"{address}/texts/messages?most={Math.Clamp(most ?? 100, 1, 1000)}", stop)
        );
        texts.MapPost(
            "",
            async Task<Results<NoContent, ValidationProblem, ProblemHttpResult>> (TextBody body, IHttpClientFactory http, CancellationToken stop) =>
            {
                if (CellReading.Phone(body.From, "US").Value.Number is not { } number)
                {
                    return Problems.Field("from", $"“{body.From}” is no number; +1 207 555 0142 would be.");
                }

                if (string.IsNullOrWhiteSpace(body.Body))
                {
                    return Problems.Field("body", "Write what they say.");
                }

                using var response = await http.CreateClient()
                    .PostAsJsonAsync(
                        $"{address}/texts/write",
                        new
                        {
                            from = number,
                            body = body.Body.Trim(),
                            to = body.To ?? "",
                        },
                        stop
                    );
                return response.IsSuccessStatusCode
                    ? TypedResults.NoContent()
                    : TypedResults.Problem("The stand-in could not hand the text in.", statusCode: StatusCodes.Status502BadGateway, title: "Not taken in");
            }
        );
    }
}
