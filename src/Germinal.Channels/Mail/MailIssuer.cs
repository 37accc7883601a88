using System.Net.Sockets;
using System.Security.Cryptography;
using Duende.IdentityModel;
using Duende.IdentityModel.Client;
using NodaTime;

namespace Germinal.Channels.Mail;

/// <summary>Tokens an issuer gave.</summary>
/// <param name="Access">Signs in.</param>
/// <param name="Refresh">Gets others; null where the one before stays good.</param>
/// <param name="GoodFor">For how long the first is good.</param>
public sealed record MailTokens(string Access, string? Refresh, Duration GoodFor);

/// <summary>An issuer that could not be asked, or said no; the message says why in a sentence.</summary>
public sealed class IssuerException(string message) : Exception(message);

/// <summary>Somebody's way to an issuer and back.</summary>
/// <param name="Address">Where the browser is sent.</param>
/// <param name="Verifier">What shows afterwards that it was the same way (PKCE, RFC 7636).</param>
public sealed record IssuerWay(string Address, string Verifier);

/// <summary>
/// Gets tokens for mail servers from whoever gives them out (OAuth 2, RFC 6749; what is where is read from the issuer itself, RFC 8414). It is asked like any place whose
/// address somebody typed: never on this machine or a private network, and without following to another place.
/// </summary>
public sealed class MailIssuer : IDisposable
{
    private const string MailScope = "openid email offline_access";
    private readonly bool allowPlain;
    private readonly HttpClient http;

    /// <param name="line">Opens the lines, and refuses what is not to be reached.</param>
    /// <param name="allowPlain">True where an issuer may be without TLS: on this machine, in the demo and tests.</param>
    public MailIssuer(ServerLine line, bool allowPlain)
    {
        this.allowPlain = allowPlain;
        http = new HttpClient(OutsideLine.To(line, 0)) { Timeout = ServerLine.Patience, MaxResponseContentBufferSize = 256 * 1024 };
    }

    /// <summary>Where somebody says yes.</summary>
    /// <param name="issuer">Its address.</param>
    /// <param name="client">What it knows this installation as.</param>
    /// <param name="address">Whose mail it is.</param>
    /// <param name="back">Where it leads back to.</param>
    /// <param name="state">Comes back with it.</param>
    /// <param name="scope">What is asked for beside the usual; empty for nothing.</param>
    /// <param name="stop">Gives up.</param>
    /// <exception cref="IssuerException">It could not be asked.</exception>
    public async Task<IssuerWay> BeginAsync(string issuer, string client, string address, string back, string state, string scope, CancellationToken stop)
    {
        var place = await FindAsync(issuer, stop);
        var verifier = CryptoRandom.CreateUniqueId(32);
        var challenge = System.Buffers.Text.Base64Url.EncodeToString(SHA256.HashData(System.Text.Encoding.ASCII.GetBytes(verifier)));
        var where = new RequestUrl(place.AuthorizeEndpoint!).CreateAuthorizeUrl(
            client,
            OidcConstants.ResponseTypes.Code,
            scope: scope.Length > 0 ? $"{MailScope} {scope}" : MailScope,
            redirectUri: back,
            state: state,
            loginHint: address,
            codeChallenge: challenge,
            codeChallengeMethod: OidcConstants.CodeChallengeMethods.Sha256,
            extra: new Parameters([new("access_type", "offline")])
        );
        return new IssuerWay(where, verifier);
    }

    /// <summary>Takes the tokens that somebody's yes is good for.</summary>
    /// <exception cref="IssuerException">It said no, gave none that lasts, or could not be asked.</exception>
    public async Task<MailTokens> TakeAsync(string issuer, string client, string? secret, string code, string verifier, string back, CancellationToken stop)
    {
        var place = await FindAsync(issuer, stop);
        using var request = new AuthorizationCodeTokenRequest { Address = place.TokenEndpoint, ClientId = client, ClientSecret = secret, Code = code, CodeVerifier = verifier, RedirectUri = back };
        var tokens = Read(await AskedAsync(() => http.RequestAuthorizationCodeTokenAsync(request, stop), stop));
        return tokens.Refresh is null ? throw new IssuerException(Said("The provider gave a token for an hour, and none that gets others. Allow it “offline access” for this client.")) : tokens;
    }

    /// <summary>Gets a fresh token.</summary>
    /// <exception cref="IssuerException">The yes was taken back, or it could not be asked.</exception>
    public async Task<MailTokens> RenewAsync(string issuer, string client, string? secret, string refresh, CancellationToken stop)
    {
        var place = await FindAsync(issuer, stop);
        using var request = new RefreshTokenRequest { Address = place.TokenEndpoint, ClientId = client, ClientSecret = secret, RefreshToken = refresh };
        return Read(await AskedAsync(() => http.RequestRefreshTokenAsync(request, stop), stop));
    }

    private async Task<DiscoveryDocumentResponse> FindAsync(string issuer, CancellationToken stop)
    {
        using var request = new DiscoveryDocumentRequest
        {
            Address = issuer,
            Policy = new DiscoveryPolicy
            {
                RequireHttps = !allowPlain,
                AllowHttpOnLoopback = allowPlain,

                // Whose token endpoint lies elsewhere says so itself; what is fetched there is for us alone, and signed by nobody.
                ValidateEndpoints = false,
                RequireKeySet = false,
            },
        };
        var found = await AskedAsync(() => http.GetDiscoveryDocumentAsync(request, stop), stop);
        return found.IsError || found.AuthorizeEndpoint is null || found.TokenEndpoint is null
            ? throw new IssuerException(Say($"{issuer} does not say where it gives tokens out ({issuer.TrimEnd('/')}/.well-known/openid-configuration): {Cause(found)}"))
            : found;
    }

    private static MailTokens Read(TokenResponse answer) =>
        answer.IsError || answer.AccessToken is null
            ? throw new IssuerException(Say($"The provider gives no token: {answer.ErrorDescription ?? Cause(answer)}"))
            : new MailTokens(answer.AccessToken, answer.RefreshToken, Duration.FromSeconds(answer.ExpiresIn > 0 ? answer.ExpiresIn : 3600));

    /// <summary>Asks; the library says what went wrong as an answer, all but what the line does.</summary>
    private static async Task<T> AskedAsync<T>(Func<Task<T>> ask, CancellationToken stop)
    {
        try
        {
            return await ask();
        }
        catch (Exception e) when (!stop.IsCancellationRequested && e is HttpRequestException or IOException or ServerRefusedException or SocketException or OperationCanceledException or InvalidOperationException)
        {
            throw new IssuerException(Say($"The provider does not answer: {ServerLine.ExplainHttp(e)}"));
        }
    }

    private static string Cause(ProtocolResponse answer) => answer.Exception is { } e ? ServerLine.ExplainHttp(e) : answer.Error ?? Said("it does not answer as it should");

    /// <inheritdoc/>
    public void Dispose() => http.Dispose();
}
