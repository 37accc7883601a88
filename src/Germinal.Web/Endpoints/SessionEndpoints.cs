using Germinal.Service;
using Germinal.Service.People;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Germinal.Web.Journal;
using Microsoft.AspNetCore.Antiforgery;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.AspNetCore.Identity;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Endpoints;

/// <summary>A member of the practice, for choosing an owner.</summary>
public sealed record MemberDto(Guid Id, string Name);

/// <summary>Who is signed in, what the practice offers to choose from, its currency (ISO 4217), and the guard for writing calls.</summary>
public sealed record SessionDto(
    string Guard,
    MemberDto? Member,
    string? Role,
    IReadOnlyList<string> May,
    string? Practice,
    IReadOnlyList<MemberDto> Members,
    IReadOnlyList<string> Stages,
    IReadOnlyList<string> Tags,
    IReadOnlyList<OwnFieldDto> OwnFields,
    IReadOnlyList<string> KeyDates,
    string? Currency,
    bool StandIns
);

/// <summary>Signing in and out.</summary>
public static class SessionEndpoints
{
    public sealed record SignInBody([AtMost(500)] string Email, [AtMost(1000)] string Password);

    private static readonly MemberUser Nobody = new();

    // Made once; what it is a hash of nobody knows.
    private static readonly Lazy<string> NobodysHash = new(() => new PasswordHasher<MemberUser>().HashPassword(Nobody, Guid.NewGuid().ToString()));

    public static void Map(IEndpointRouteBuilder app)
    {
        var session = app.MapGroup("/api/session").WithTags("session");
        session.MapGet(
            "",
            async (HttpContext http, IAntiforgery guard, GerminalDb db, Settings settings, CancellationToken stop) =>
            {
                var token = guard.GetAndStoreTokens(http).RequestToken!;
                if (http.User.Identity?.IsAuthenticated != true)
                {
                    return new SessionDto(token, null, null, [], null, [], [], [], [], [], null, settings.StandIns is not null);
                }

                var caller = Caller.Of(http.User);
                var practice = await db.Practices.AsNoTracking().SingleAsync(p => p.Id == caller.PracticeId, stop);
                var members = await db
                    .Users.AsNoTracking()
                    .Where(m => m.PracticeId == caller.PracticeId)
                    .OrderBy(m => m.Name)
                    .Select(m => new MemberDto(m.Id, m.Name))
                    .ToListAsync(stop);
                var tags = await db.Tags.AsNoTracking().Select(t => t.Name).OrderBy(n => n).ToListAsync(stop);
                var stages = practice.Settings.AllStages().ToList();
                return new SessionDto(
                    token,
                    new MemberDto(caller.Id, caller.Name),
                    caller.Role,
                    Rights.Of(caller.Role),
                    practice.Name,
                    members,
                    stages,
                    tags,
                    [.. OwnFields.Of(practice.Settings).Select(OwnFieldDto.Of)],
                    practice.Settings.KeyDates,
                    practice.Settings.Prices.Currency,
                    settings.StandIns is not null
                );
            }
        );

        session.MapPost(
            "",
            async Task<Results<NoContent, ValidationProblem, ProblemHttpResult>> (
                SignInBody body,
                HttpContext http,
                SignInManager<MemberUser> signIn,
                SignInBrake brake,
                JournalNote note,
                CancellationToken stop
            ) =>
            {
                if (string.IsNullOrWhiteSpace(body.Email) || string.IsNullOrEmpty(body.Password))
                {
                    return Problems.Field(
                        string.IsNullOrWhiteSpace(body.Email) ? "email" : "password",
                        "Both the email address and the password are needed."
                    );
                }

                if (brake.Try(Client.Of(http), body.Email) is { } wait)
                {
                    http.Response.Headers.RetryAfter = Math.Ceiling(wait.TotalSeconds).ToString(System.Globalization.CultureInfo.InvariantCulture);
                    return TypedResults.Problem(
                        $"There have been too many tries. Wait {(wait < TimeSpan.FromMinutes(2) ? "a minute" : $"{Math.Ceiling(wait.TotalMinutes)} minutes")} and try again.",
                        statusCode: StatusCodes.Status429TooManyRequests,
                        title: "Too many tries"
                    );
                }

                // An address nobody has, and a member who is blocked, cost the same work and get the same answer as a wrong password.
                var user = await signIn.UserManager.FindByEmailAsync(body.Email.Trim());
                var right = Matches(signIn.UserManager, user, body.Password) && user is { BlockedAt: null };
                if (!right)
                {
                    brake.Wrong(Client.Of(http), body.Email);
                    if (user is not null)
                    {
                        // Once the answer is on its way: how long it took tells nobody whether there is such a member.
                        http.Response.OnCompleted(() => JournalKeeping.RefusedAsync(http, Who(user)));
                    }

                    return Problems.Field("password", "The address and the password do not go together. Check both; capitals count in the password.");
                }

                await signIn.SignInAsync(user!, isPersistent: true);
                note.IsBy(Who(user!));
                return TypedResults.NoContent();
            }
        );

        static Caller Who(MemberUser member) => new(member.Id, member.PracticeId, member.Name, member.Role);

        static bool Matches(UserManager<MemberUser> users, MemberUser? user, string password) =>
            users.PasswordHasher.VerifyHashedPassword(user ?? Nobody, user?.PasswordHash ?? NobodysHash.Value, password) != PasswordVerificationResult.Failed
            && user is { PasswordHash: not null };

        session.MapDelete(
            "",
            async Task<NoContent> (SignInManager<MemberUser> signIn) =>
            {
                await signIn.SignOutAsync();
                return TypedResults.NoContent();
            }
        );
    }
}
