using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Routing;

namespace Lodrik.Server;

/// <summary>Puts a <see cref="SaveServer"/> into a host.</summary>
public static class SaveServerEndpoints
{
    private static readonly string[] Methods = ["GET", "HEAD", "PUT", "DELETE", "PROPFIND", "MKCOL"];

    /// <summary>Answers requests for the files of players, below <c>{prefix}/{player}/</c>.</summary>
    /// <param name="endpoints">The host's.</param>
    /// <param name="server">What answers them.</param>
    /// <param name="prefix">Where players are, such as <c>/players</c>.</param>
    /// <returns>What further conventions of the host can be added to, such as a policy for authorization.</returns>
    public static IEndpointConventionBuilder MapLodrik(
        this IEndpointRouteBuilder endpoints, SaveServer server, string prefix = "/players")
    {
        ArgumentNullException.ThrowIfNull(endpoints);
        ArgumentNullException.ThrowIfNull(server);
        ArgumentNullException.ThrowIfNull(prefix);
        return endpoints.MapMethods($"{prefix.TrimEnd('/')}/{{player}}/{{**name}}", Methods, server.Answer);
    }

    /// <summary>Answers 200 while saves can be read and written, and 503 while they cannot.</summary>
    /// <param name="endpoints">The host's.</param>
    /// <param name="server">Whose storage is asked.</param>
    /// <param name="path">The address.</param>
    public static IEndpointConventionBuilder MapLodrikHealth(
        this IEndpointRouteBuilder endpoints, SaveServer server, string path = "/health")
    {
        ArgumentNullException.ThrowIfNull(endpoints);
        ArgumentNullException.ThrowIfNull(server);
        return endpoints.MapMethods(path, ["GET", "HEAD"], server.AnswerHealth);
    }
}
