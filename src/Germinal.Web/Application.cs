using System.Globalization;
using Germinal.Service;
using Germinal.Service.Engine;
using Germinal.Service.Incoming;
using Germinal.Store;
using Germinal.Web.Endpoints;
using Germinal.Web.Hosting;
using Germinal.Web.Journal;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection.Extensions;
using Microsoft.Extensions.FileProviders;
using NodaTime;
using NodaTime.Serialization.SystemTextJson;
using Serilog;

namespace Germinal.Web;

/// <summary>The application: the web server, with <c>--worker</c> the worker beside it, with <c>--doctor</c> a look at the installation, and with <c>--keeper</c> the address at which its next keeper is made.</summary>
public static class Application
{
    /// <summary>Runs until it is told to end.</summary>
    /// <param name="args">What the program was called with.</param>
    /// <param name="more">Adds to the web server, before it is built.</param>
    public static async Task RunAsync(string[] args, Action<WebApplicationBuilder>? more = null)
    {
        // What is read and written is the same whatever language the machine speaks.
        CultureInfo.DefaultThreadCurrentCulture = CultureInfo.CurrentCulture = CultureInfo.InvariantCulture;

        if (args.Contains("--doctor"))
        {
            var environment = new ConfigurationBuilder().AddEnvironmentVariables().Build();
            Environment.ExitCode = await Doctor.Doctor.RunAsync(environment, new Doctor.Limits(SystemClock.Instance), Console.Out, CancellationToken.None);
            return;
        }

        if (args.Contains("--keeper"))
        {
            await KeeperKey.TellAsync(Settings.From(new ConfigurationBuilder().AddEnvironmentVariables().Build()), Console.Out, CancellationToken.None);
            return;
        }

        // One program, two roles: the web server (default), and with --worker the worker beside it.
        if (args.Contains("--worker"))
        {
            var host = Host.CreateApplicationBuilder(args);
            var own = Settings.From(host.Configuration);
            host.Services.AddSerilog(l => Logs.Configure(l));
            host.Services.AddSingleton(own);
            host.Services.AddGerminalStore(own.Database);
            host.Services.AddGerminalService(own.Service);
            host.Services.AddGerminalSeals(own);
            host.Services.AddHostedService<Worker>();
            Telemetry.Add(host.Services, host.Configuration);
            Schedule.Add(host.Services);
            await host.Build().RunAsync(CancellationToken.None);
            return;
        }

        var builder = WebApplication.CreateBuilder(args);
        var settings = Settings.From(builder.Configuration);
        builder.Services.AddSerilog(l => Logs.Configure(l));
        builder.Services.AddSingleton(settings);
        builder.Services.AddGerminalStore(settings.Database);
        builder.Services.AddGerminalService(settings.Service);
        builder.Services.AddGerminalSignIn(settings);
        builder.Services.AddHostedService<InboundListener>();
        builder.Services.AddSingleton<ChangeListener>().AddHostedService(s => s.GetRequiredService<ChangeListener>());
        more?.Invoke(builder);
        builder.Services.AddSingleton<BeginningKey>().AddSingleton<KeeperKey>();
        builder.Services.TryAddSingleton<IFirstPractice, FirstPractice>();
        builder.Services.AddProblemDetails(Problems.InOneShape);
        builder.Services.AddExceptionHandler<ErrorAnswers>();
        builder.Services.AddValidation();
        builder.Services.AddPublicBrakes(settings);
        builder.Services.AddSingleton(new FormBrake(settings.FormsOfClient, settings.FormsOfForm, settings.StandIns is not null));
        Proxies.Add(builder.Services, settings);
        builder.Services.AddScoped<JournalNote>();
        builder.Services.AddOpenApi("v1", ApiDescription.Configure);
        builder.Services.AddHealthChecks().AddCheck<DatabaseHealth>("database", tags: ["ready"]).AddCheck<WorkerHealth>("workers", tags: ["workers"]);
        Telemetry.Add(builder.Services, builder.Configuration);
        builder.Services.ConfigureHttpJsonOptions(o =>
        {
            // What a body must carry and lacks is the caller's mistake (400), never ours (500).
            o.SerializerOptions.RespectNullableAnnotations = true;
            o.SerializerOptions.RespectRequiredConstructorParameters = true;
            o.SerializerOptions.ConfigureForNodaTime(DateTimeZoneProviders.Tzdb);
        });
        builder.WebHost.ConfigureKestrel(o =>
        {
            o.AddServerHeader = false;

            // What is typed is small; files say by themselves how large they may be.
            o.Limits.MaxRequestBodySize = 4 * 1024 * 1024;
        });

        var app = builder.Build();
        if (!app.Environment.IsEnvironment("Testing"))
        {
            await Startup.PrepareAsync(app.Services, app.Lifetime.ApplicationStopping);
        }

        app.UseForwardedHeaders();
        if (settings.IsSecure)
        {
            app.UseHsts();
        }

        app.UseMiddleware<Tongues>();
        app.UseExceptionHandler();
        app.UseStatusCodePages();
        app.UseMiddleware<SecurityHeaders>();
        app.UseMiddleware<PlainAddresses>();
        app.UseRouting();
        app.UseRateLimiter();
        app.UseAuthentication();
        app.UseMiddleware<Keys.KeyCalls>();
        app.UseAuthorization();
        app.UseGerminalCaller();
        app.UseMiddleware<Keys.SameCallOnce>();
        app.UseAntiforgery();

        app.MapOpenApi("/openapi/{documentName}.json");
        app.MapHealthChecks("/health/live", new() { Predicate = _ => false });
        app.MapHealthChecks("/health/ready", new() { Predicate = c => c.Tags.Contains("ready") });
        app.MapHealthChecks(
            "/health/workers",
            new()
            {
                Predicate = c => c.Tags.Contains("workers"),
                ResponseWriter = (http, report) => http.Response.WriteAsync(report.Entries["workers"].Description ?? "", http.RequestAborted),
            }
        );
        // What is done by any of these is told in the journal.
        var told = app.MapGroup("").AddEndpointFilter<JournalKeeping>();
        SessionEndpoints.Map(told);
        JoinEndpoints.Map(told);
        MeEndpoints.Map(told);
        MemberEndpoints.Map(told);
        MailAccountEndpoints.Map(told);
        KeeperEndpoints.Map(told);
        BeginningEndpoints.Map(told);
        WholeEndpoints.Map(told);
        PeopleEndpoints.Map(told);
        ActEndpoints.Map(told);
        PersonEndpoints.Map(told);
        CircleEndpoints.Map(told);
        SamePeopleEndpoints.Map(told);
        SegmentEndpoints.Map(told);
        ListEndpoints.Map(told);
        PersonDataEndpoints.Map(told);
        ImportEndpoints.Map(told);
        ConsentEndpoints.Map(told);
        ProgramEndpoints.Map(told);
        ProgramFileEndpoints.Map(told);
        ProgramStanding.Map(told);
        LetterEndpoints.Map(told);
        ApprovalEndpoints.Map(told);
        ProgramVersionEndpoints.Map(told);
        FormEndpoints.Map(told);
        MeetingEndpoints.Map(told);
        LandingEndpoints.Map(told);
        GivingEndpoints.Map(told);
        OfferEndpoints.Map(told);
        FigureEndpoints.Map(told);
        KeptFileEndpoints.Map(told);
        ReadyProgramEndpoints.Map(told);
        RehearsalEndpoints.Map(told);
        WalkEndpoints.Map(told);
        SignOffEndpoints.Map(told);
        TextLengthEndpoints.Map(told);
        DealingsEndpoints.Map(told);
        InquiryEndpoints.Map(told);
        NoteEndpoints.Map(told);
        CalendarFeed.Map(told);
        PracticeEndpoints.Map(told);
        TagEndpoints.Map(told);
        OtherProgramEndpoints.Map(told);
        TodayEndpoints.Map(told);
        AlmanacEndpoints.Map(told);
        TouchMoves.Map(told);
        PipelineEndpoints.Map(told);
        OutcomeEndpoints.Map(told);
        StageEndpoints.Map(told);
        OwnCalendarEndpoints.Map(told);
        PostEndpoints.Map(told);
        BroadcastEndpoints.Map(told);
        ResultEndpoints.Map(told);
        SendingEndpoints.Map(told);
        ProgramResultEndpoints.Map(told);
        FilmEndpoints.Map(told);
        PublicFilms.Map(told);
        ProofEndpoints.Map(told);
        TaskEndpoints.Map(told);
        MorningEndpoints.Map(told);
        WaitingEndpoints.Map(told);
        TouchEndpoints.Map(told);
        ClockEndpoints.Map(told);
        ChangeEndpoints.Map(told);
        ImageEndpoints.Map(told);
        StandInEndpoints.Map(told, settings);
        PublicPages.Map(told);
        MailAccountEndpoints.MapBack(told);
        PublicForms.Map(told);
        PublicMeetings.Map(told);
        PublicLandings.Map(told);
        FigurePages.Map(told);
        PublicCalls.Map(told);
        PreferencePage.Map(told);
        JournalEndpoints.Map(told);
        SchemaEndpoints.Map(told);

        // Addresses under /api that there are not get a 404 of their own, never the front end's page.
        app.Map("/api/{**rest}", () => Results.NotFound()).ExcludeFromDescription();
        if (Directory.Exists(settings.WebFolder))
        {
            var files = new PhysicalFileProvider(Path.GetFullPath(settings.WebFolder));
            app.UseStaticFiles(
                new StaticFileOptions
                {
                    FileProvider = files,
                    OnPrepareResponse = c =>
                        c.Context.Response.Headers.CacheControl = c.Context.Request.Path.StartsWithSegments("/assets", StringComparison.Ordinal)
                            ? "public, max-age=31536000, immutable"
                            : "no-cache",
                }
            );
            app.MapFallbackToFile(
                "index.html",
                new StaticFileOptions { FileProvider = files, OnPrepareResponse = c => c.Context.Response.Headers.CacheControl = "no-cache" }
            );
        }

        await app.RunAsync();
    }
}
