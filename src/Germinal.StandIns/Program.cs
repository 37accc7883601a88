using System.Globalization;
using Germinal.StandIns;
using SmtpServer;

// A small mail server that stands in for a real one: it speaks SMTP, delivers nothing anywhere, keeps everything, and
// lets it be read over HTTP. Loopback only.
var builder = WebApplication.CreateSlimBuilder(args);
string Setting(string name, string otherwise) => builder.Configuration[name] ?? otherwise;
var smtpPort = int.Parse(Setting("GERMINAL_SMTP_PORT", "5082"), CultureInfo.InvariantCulture);
var httpPort = int.Parse(Setting("GERMINAL_STANDINS_PORT", "5083"), CultureInfo.InvariantCulture);
var delay = int.Parse(Setting("GERMINAL_MAIL_DELAY_MS", "0"), CultureInfo.InvariantCulture);
var box = new MailBox(Path.Combine(Setting("GERMINAL_DATA", ".data"), "mail"));
builder.WebHost.UseUrls($"http://127.0.0.1:{httpPort}");
builder.Logging.SetMinimumLevel(LogLevel.Warning);

var app = builder.Build();
app.MapGet("/health", () => Results.Ok(new { messages = box.Count }));
app.MapGet("/messages", (int? before, string? search, int? most) => Results.Ok(new { total = box.Count, messages = box.List(before, search, Math.Clamp(most ?? 50, 1, 1000)) }));
app.MapGet("/messages/{number:int}", (int number) => box.Open(number) is { } m ? Results.Ok(m) : Results.NotFound());
app.MapGet("/messages/{number:int}/source", (int number) => box.Source(number) is { } raw ? Results.Bytes(raw, "text/plain; charset=utf-8") : Results.NotFound());
app.MapGet("/messages/by-id/{id}", (string id) => box.Find(id) is { } number ? Results.Ok(new { number }) : Results.NotFound());

var options = new SmtpServerOptionsBuilder().ServerName("germinal-stand-in")
    .Endpoint(e => e.Endpoint(new System.Net.IPEndPoint(System.Net.IPAddress.Loopback, smtpPort))).MaxMessageSize(25_000_000).Build();
var services = new SmtpServer.ComponentModel.ServiceProvider();
services.Add(new KeepStore(box, delay));
var smtp = new SmtpServer.SmtpServer(options, services);
var serving = smtp.StartAsync(app.Lifetime.ApplicationStopping);
await app.RunAsync();
await serving;
