using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Antiforgery;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.AspNetCore.Identity;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Endpoints;

/// <summary>A member of the practice, for choosing an owner.</summary>
public sealed record MemberDto(Guid Id, string Name);

/// <summary>Who is signed in, what the practice offers to choose from, and the guard for writing calls.</summary>
public sealed record SessionDto(string Guard, MemberDto? Member, string? Role, string? Practice, IReadOnlyList<MemberDto> Members, IReadOnlyList<string> Stages, IReadOnlyList<string> Tags, bool StandIns);

/// <summary>Signing in and out.</summary>
public static class SessionEndpoints
{
    public sealed record SignInBody(string Email, string Password);

    public static void Map(IEndpointRouteBuilder app)
    {
        var session = app.MapGroup("/api/session").WithTags("session");
        session.MapGet("", async (HttpContext http, IAntiforgery guard, GerminalDb db, Settings settings, CancellationToken stop) =>
        {
            var token = guard.GetAndStoreTokens(http).RequestToken!;
            if (http.User.Identity?.IsAuthenticated != true)
            {
                return new SessionDto(token, null, null, null, [], [], [], settings.StandIns is not null);
            }

            var caller = Caller.Of(http.User);
            var practice = await db.Practices.AsNoTracking().SingleAsync(p => p.Id == caller.PracticeId, stop);
            var members = await db.Users.AsNoTracking().Where(m => m.PracticeId == caller.PracticeId).OrderBy(m => m.Name).Select(m => new MemberDto(m.Id, m.Name)).ToListAsync(stop);
            var tags = await db.Tags.AsNoTracking().Select(t => t.Name).OrderBy(n => n).ToListAsync(stop);
            var stages = practice.Settings.Pipelines.SelectMany(p => p.Stages.Select(s => $"{p.Name}/{s}")).ToList();
            return new SessionDto(token, new MemberDto(caller.Id, caller.Name), caller.Role, practice.Name, members, stages, tags, settings.StandIns is not null);
        });

        session.MapPost("", async Task<Results<NoContent, ValidationProblem>> (SignInBody body, SignInManager<MemberUser> signIn) =>
        {
            if (string.IsNullOrWhiteSpace(body.Email) || string.IsNullOrEmpty(body.Password))
            {
                return Problems.Field(string.IsNullOrWhiteSpace(body.Email) ? "email" : "password", "Both the email address and the password are needed.");
            }

            var user = await signIn.UserManager.FindByEmailAsync(body.Email.Trim());
            var result = user is null ? SignInResult.Failed : await signIn.PasswordSignInAsync(user, body.Password, isPersistent: true, lockoutOnFailure: true);
            return result switch
            {
                { Succeeded: true } => TypedResults.NoContent(),
                { IsLockedOut: true } => Problems.Field("password", "Too many wrong passwords. Wait ten minutes and try again."),
                _ => Problems.Field("password", "The address and the password do not go together. Check both; capitals count in the password."),
            };
        });

        session.MapDelete("", async Task<NoContent> (SignInManager<MemberUser> signIn) =>
        {
            await signIn.SignOutAsync();
            return TypedResults.NoContent();
        });
    }
}
