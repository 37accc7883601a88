using System.Security.Claims;
using Germinal.Service.Members;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Keys;
using Microsoft.AspNetCore.Antiforgery;
using Microsoft.AspNetCore.DataProtection;
using Microsoft.AspNetCore.Identity;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.Options;

namespace Germinal.Web.Hosting;

/// <summary>Who is asking: a member by the sign-in cookie, or another program by a key that a member made.</summary>
/// <param name="SeesAll">Whether they see everybody, and not only some of the people.</param>
public sealed record Caller(Guid Id, Guid PracticeId, string Name, string Role, bool SeesAll = true)
{
    /// <summary>Where another program asks by a key for the member: what the key may, by commas; null where the member asks.</summary>
    public string? Key { get; init; }

    /// <summary>Whether they have a right of <see cref="Rights"/>, and by a key, whether that has it too.</summary>
    public bool May(string right) => Rights.Has(Role, right, SeesAll) && (Key is null || Key.Split(',').Contains(right, StringComparer.Ordinal));

    /// <summary>The claim of another program that asks by a key: what the key may, by commas.</summary>
    public const string KeyClaim = "germinal:key";

    /// <summary>The claim that carries the key's id.</summary>
    public const string KeyIdClaim = "germinal:key-id";

    /// <summary>The claim of a member who sees only some of the people: whose, by commas.</summary>
    public const string SeesClaim = "germinal:sees";

    /// <summary>The claim that carries the practice.</summary>
    public const string PracticeClaim = "germinal:practice";

    /// <summary>The claim of a member who has no second factor where their practice asks for one.</summary>
    public const string UnfinishedClaim = "germinal:unfinished";

    /// <summary>The caller that a member is.</summary>
    public static Caller Of(MemberUser member) => new(member.Id, member.PracticeId, member.Name, member.Role);

    /// <summary>The claim that carries the member's name.</summary>
    public const string NameClaim = "germinal:name";

    /// <summary>The caller of a request that has passed authorization.</summary>
    public static Caller Of(ClaimsPrincipal user) =>
        new(
            Guid.Parse(user.FindFirstValue(ClaimTypes.NameIdentifier)!),
            Guid.Parse(user.FindFirstValue(PracticeClaim)!),
            user.FindFirstValue(NameClaim)!,
            user.FindFirstValue(ClaimTypes.Role)!,
            !user.HasClaim(c => c.Type == SeesClaim)
        )
        {
            Key = user.FindFirstValue(KeyClaim),
        };

    /// <summary>Lets endpoints take a <see cref="Caller"/> as a parameter.</summary>
    public static ValueTask<Caller?> BindAsync(HttpContext context) => ValueTask.FromResult<Caller?>(Of(context.User));
}

/// <summary>Sign-in by cookie, and the guard against forged requests.</summary>
public static class SignInSetup
{
    /// <summary>The guard comes with every writing call under this name, and goes back as <c>old</c> where it is good no more.</summary>
    private const string GuardHeader = "X-Germinal-Guard";

    /// <summary>Adds the installation's keys, which seal cookies and stored passwords; web server and workers share them.</summary>
    public static void AddGerminalSeals(this IServiceCollection services, Settings settings) =>
        services.AddDataProtection().PersistKeysToFileSystem(new DirectoryInfo(Path.Combine(settings.DataFolder, "keys"))).SetApplicationName("germinal");

    /// <summary>Adds ASP.NET Core Identity with cookies that answer 401 and 403 instead of redirecting.</summary>
    public static void AddGerminalSignIn(this IServiceCollection services, Settings settings)
    {
        services.AddGerminalSeals(settings);
        services
            .AddAuthentication(IdentityConstants.ApplicationScheme)
            .AddScheme<Microsoft.AspNetCore.Authentication.AuthenticationSchemeOptions, KeyScheme>(KeyScheme.Name, null)
            .AddIdentityCookies();
        services
            .AddIdentityCore<MemberUser>(o =>
            {
                // What a password has to be is PasswordRules' to say, and nobody else's.
                o.Password.RequiredLength = 1;
                o.Password.RequiredUniqueChars = 1;
                o.Password.RequireNonAlphanumeric = o.Password.RequireUppercase = o.Password.RequireLowercase = o.Password.RequireDigit = false;
                o.User.RequireUniqueEmail = true;
            })
            .AddEntityFrameworkStores<GerminalDb>()
            .AddPasswordValidator<GoodPassword>()
            .AddSignInManager()
            .AddClaimsPrincipalFactory<CallerClaims>();
        services.Configure<IdentityPasskeyOptions>(o =>
        {
            // A passkey is asked for in the place of a password and a second factor: the device has to know who holds it, and who they are.
            o.UserVerificationRequirement = "required";
            o.ResidentKeyRequirement = "required";
        });
        services.AddScoped<LetIn>();
        services.AddSingleton(_ => new SignInBrake());
        services.AddSingleton<SessionStore>();
        services.AddSingleton<IPostConfigureOptions<Microsoft.AspNetCore.Authentication.Cookies.CookieAuthenticationOptions>, UseSessionStore>();
        var secure = settings.IsSecure ? CookieSecurePolicy.Always : CookieSecurePolicy.SameAsRequest;
        services.Configure<Microsoft.AspNetCore.Authentication.Cookies.CookieAuthenticationOptions>(
            IdentityConstants.TwoFactorUserIdScheme,
            o =>
            {
                o.Cookie.Name = "germinal-half";
                o.Cookie.SecurePolicy = secure;
                o.Cookie.SameSite = SameSiteMode.Strict;
            }
        );
        services.ConfigureApplicationCookie(o =>
        {
            o.ForwardDefaultSelector = KeyScheme.Select;
            o.Cookie.SecurePolicy = secure;
            o.Cookie.Name = "germinal";
            o.Cookie.SameSite = SameSiteMode.Strict;
            o.ExpireTimeSpan = TimeSpan.FromHours(10);
            o.SlidingExpiration = true;
            o.Events.OnRedirectToLogin = c => Answer(c.Response, StatusCodes.Status401Unauthorized);
            o.Events.OnRedirectToAccessDenied = c => Answer(c.Response, StatusCodes.Status403Forbidden);
        });
        services.AddGerminalRights();
        services.AddAntiforgery(o =>
        {
            o.HeaderName = GuardHeader;

            // It comes in a header or not at all: nobody's form is read before it is known that they may send one.
            o.SuppressReadingTokenFromFormBody = true;
            o.Cookie.Name = "germinal-guard";
            o.Cookie.SameSite = SameSiteMode.Strict;
            o.Cookie.SecurePolicy = secure;
        });
        NoGuardForKeys.Add(services);
    }

    private static Task Answer(HttpResponse response, int status)
    {
        response.StatusCode = status;
        return Task.CompletedTask;
    }

    /// <summary>Every writing call carries the guard; every call sees the caller's practice only.</summary>
    public static void UseGerminalCaller(this IApplicationBuilder app)
    {
        app.Use(
            async (context, next) =>
            {
                if (context.User.FindFirstValue(Caller.PracticeClaim) is { } practice)
                {
                    var db = context.RequestServices.GetRequiredService<GerminalDb>();
                    db.PracticeId = Guid.Parse(practice);
                    db.MemberId = Guid.TryParse(context.User.FindFirstValue(ClaimTypes.NameIdentifier), out var member) ? member : null;
                    db.LimitTo(context.User.FindFirstValue(Caller.SeesClaim)?.Split(',').Select(Guid.Parse));
                }

                // Matched by the endpoint that will answer, not by how its address is written; whatever does not say that it needs no
                // guard (signed links, hooks) has one.
                var unsafeMethod =
                    !HttpMethods.IsGet(context.Request.Method)
                    && !HttpMethods.IsHead(context.Request.Method)
                    && !HttpMethods.IsOptions(context.Request.Method);
                var excused = context.GetEndpoint()?.Metadata.GetMetadata<IAntiforgeryMetadata>() is { RequiresValidation: false };
                if (unsafeMethod && context.GetEndpoint() is not null && !excused)
                {
                    var guard = context.RequestServices.GetRequiredService<IAntiforgery>();
                    if (!await guard.IsRequestValidAsync(context))
                    {
                        // A page that knows who it is for gets a new one by itself, and repeats the call.
                        context.Response.Headers[GuardHeader] = "old";
                        await TypedResults
                            .Problem(
                                Said("The page is out of date. Load it again and repeat what you did."),
                                statusCode: StatusCodes.Status400BadRequest,
                                title: Said("Guard missing")
                            )
                            .ExecuteAsync(context);
                        return;
                    }
                }

                if (context.User.HasClaim(c => c.Type == Caller.UnfinishedClaim) && context.GetEndpoint()?.Metadata.GetMetadata<BeforeSecondFactor>() is null && context.Request.Path.StartsWithSegments("/api", StringComparison.Ordinal))
                {
                    await TypedResults
                        .Problem(
                            Said("Your practice asks for a second factor or a passkey. Set one up on the page about yourself; until then nothing else is open."),
                            statusCode: StatusCodes.Status403Forbidden,
                            title: Said("A second factor first")
                        )
                        .ExecuteAsync(context);
                    return;
                }

                await next();
            }
        );
    }

    /// <summary>The call is open to a member whose practice asks for a second factor and who has none yet.</summary>
    public static TBuilder OpenBeforeSecondFactor<TBuilder>(this TBuilder builder)
        where TBuilder : IEndpointConventionBuilder => builder.WithMetadata(new BeforeSecondFactor());

    private sealed class BeforeSecondFactor;

    private sealed class GoodPassword(GerminalDb db) : IPasswordValidator<MemberUser>
    {
        public async Task<IdentityResult> ValidateAsync(UserManager<MemberUser> manager, MemberUser user, string? password)
        {
            var practice = await db.Practices.AsNoTracking().Where(p => p.Id == user.PracticeId).Select(p => p.Name).FirstOrDefaultAsync();
            return PasswordRules.Problem(password ?? "", [user.Name, user.Email ?? "", practice ?? ""]) is { } problem
                ? IdentityResult.Failed(new IdentityError { Code = "Password", Description = problem })
                : IdentityResult.Success;
        }
    }

    private sealed class CallerClaims(UserManager<MemberUser> users, IOptions<IdentityOptions> options)
        : UserClaimsPrincipalFactory<MemberUser>(users, options)
    {
        protected override async Task<ClaimsIdentity> GenerateClaimsAsync(MemberUser user)
        {
            var identity = await base.GenerateClaimsAsync(user);
            identity.AddClaim(new Claim(Caller.PracticeClaim, user.PracticeId.ToString()));
            identity.AddClaim(new Claim(Caller.NameClaim, user.Name));
            identity.AddClaim(new Claim(ClaimTypes.Role, user.Role));
            return identity;
        }
    }
}
