using Microsoft.AspNetCore.Antiforgery;

namespace Germinal.Web.Keys;

/// <summary>
/// The guard against forged requests, of which a call by a key needs none: no browser sends a key by itself, and a call that shows one is looked at by
/// nothing else (<see cref="KeyScheme"/>).
/// </summary>
/// <param name="guard">The guard of everybody else.</param>
internal sealed class NoGuardForKeys(IAntiforgery guard) : IAntiforgery
{
    /// <summary>Puts it before the guard that is set up already.</summary>
    public static void Add(IServiceCollection services)
    {
        var set = services.Last(s => s.ServiceType == typeof(IAntiforgery));
        services.AddSingleton<IAntiforgery>(s => new NoGuardForKeys((IAntiforgery)ActivatorUtilities.CreateInstance(s, set.ImplementationType!)));
    }

    /// <inheritdoc/>
    public AntiforgeryTokenSet GetAndStoreTokens(HttpContext httpContext) => guard.GetAndStoreTokens(httpContext);

    /// <inheritdoc/>
    public AntiforgeryTokenSet GetTokens(HttpContext httpContext) => guard.GetTokens(httpContext);

    /// <inheritdoc/>
    public async Task<bool> IsRequestValidAsync(HttpContext httpContext) => KeyScheme.IsShown(httpContext) || await guard.IsRequestValidAsync(httpContext);

    /// <inheritdoc/>
    public Task ValidateRequestAsync(HttpContext httpContext) => KeyScheme.IsShown(httpContext) ? Task.CompletedTask : guard.ValidateRequestAsync(httpContext);

    /// <inheritdoc/>
    public void SetCookieTokenAndHeader(HttpContext httpContext) => guard.SetCookieTokenAndHeader(httpContext);
}
