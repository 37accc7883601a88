using System.Globalization;
using Germinal.StandIns;
using SmtpServer;

// What is read and written is the same whatever language the machine speaks.
CultureInfo.DefaultThreadCurrentCulture = CultureInfo.CurrentCulture = CultureInfo.InvariantCulture;

// Small outside services that stand in for real ones: a mail server that speaks SMTP, delivers nothing anywhere, keeps
// everything and lets it be read over HTTP; a text gateway; a public board that posts go to; a feed; and an issuer of tokens for mail servers. Loopback only.
var builder = WebApplication.CreateSlimBuilder(args);
string Setting(string name, string otherwise) => builder.Configuration[name] ?? otherwise;
var smtpPort = int.Parse(Setting("GERMINAL_SMTP_PORT", "5082"), CultureInfo.InvariantCulture);
var httpPort = int.Parse(Setting("GERMINAL_STANDINS_PORT", "5083"), CultureInfo.InvariantCulture);
var delay = int.Parse(Setting("GERMINAL_MAIL_DELAY_MS", "0"), CultureInfo.InvariantCulture);
var failing = new Failing(int.Parse(Setting("GERMINAL_FAIL_PERCENT", "0"), CultureInfo.InvariantCulture));
var data = Setting("GERMINAL_DATA", ".data");
var box = new MailBox(Path.Combine(data, "mail"));
builder.WebHost.UseUrls($"http://127.0.0.1:{httpPort}");
builder.Logging.SetMinimumLevel(LogLevel.Warning);

var app = builder.Build();
app.MapGet("/health", () => Results.Ok(new { messages = box.Count }));
app.MapGet(
    "/messages",
    (int? before, string? search, int? most) => Results.Ok(new { total = box.Count, messages = box.List(before, search, Math.Clamp(most ?? 50, 1, 1000)) })
);
app.MapGet("/messages/{number:int}", (int number) => box.Open(number) is { } m ? Results.Ok(m) : Results.NotFound());
app.MapGet(
    "/messages/{number:int}/source",
    (int number) => box.Source(number) is { } raw ? Results.Bytes(raw, "text/plain; charset=utf-8") : Results.NotFound()
);
app.MapGet("/messages/by-id/{id}", (string id) => box.Find(id) is { } number ? Results.Ok(new { number }) : Results.NotFound());

app.MapPost("/failing/{percent:int}", (int percent) => failing.Set(percent));

using var http = new HttpClient { Timeout = TimeSpan.FromSeconds(20) };
var texts = new TextBox(Path.Combine(data, "texts"));
var url = builder.Configuration["GERMINAL_URL"];
var gateway = new Gateway(texts, url is null ? null : $"{url.TrimEnd('/')}/hooks/texts", Path.Combine(data, "hook-key"), http, failing);
gateway.Map(app);
app.MapGet("/news.xml", () => Results.Text(News.Feed, "application/rss+xml; charset=utf-8"));
new Board(Path.Combine(data, "board"), failing).Map(app);
new Issuer($"http://127.0.0.1:{httpPort}").Map(app);
using var following = new HttpClient(new HttpClientHandler { AllowAutoRedirect = false });
var recipients = new Recipients(box, texts, gateway, following, int.Parse(Setting("GERMINAL_INBOUND_PORT", "0"), CultureInfo.InvariantCulture), new Rates());
var living = new SemaphoreSlim(1);
app.MapPost(
    "/recipients/live",
    async (DateTimeOffset until) =>
    {
        await living.WaitAsync();
        try
        {
            return Results.Ok(await recipients.LiveAsync(until));
        }
        finally
        {
            living.Release();
        }
    }
);

app.MapPost(
    "/messages/{number:int}/answer",
    async (int number, Answer answer) =>
        box.Open(number) is not { } mail ? Results.NotFound()
        : await recipients.WriteAsync(mail, answer.Text) ? Results.NoContent()
        : Results.Conflict()
);

var options = new SmtpServerOptionsBuilder()
    .ServerName("germinal-stand-in")
    .Endpoint(e => e.Endpoint(new System.Net.IPEndPoint(System.Net.IPAddress.Loopback, smtpPort)))
    .MaxMessageSize(25_000_000)
    .Build();
var services = new SmtpServer.ComponentModel.ServiceProvider();
services.Add(new KeepStore(box, delay, failing));
var smtp = new SmtpServer.SmtpServer(options, services);
var serving = smtp.StartAsync(app.Lifetime.ApplicationStopping);
await app.RunAsync();
await serving;
