using Germinal.Demo;
using Germinal.Web;
using Germinal.Web.Hosting;

// The web server as it is, with the demo practice for a new database. Nothing of the demo is in the application itself.
await Application.RunAsync(
    args,
    builder =>
    {
        builder.Services.AddSingleton<IFirstPractice, DemoStart>();
        if (builder.Configuration["GERMINAL_LIVE_DEMO"] is { Length: > 0 })
        {
            builder.Services.AddHostedService<LivingDemo>();
        }
    }
);
