using System.Net;
using Crumpet.Core.Checking;

namespace Crumpet.Web.Hosting;

/// <summary>
/// Answers only those who ask for this machine by a name it goes by. A page from elsewhere that gave its own name this machine's
/// address, so that browsers take Crumpet for a part of it, is refused; so is a change that another site's page asks for.
/// </summary>
public sealed class HostGate
{
    private readonly HashSet<string> names = new(StringComparer.OrdinalIgnoreCase) { "localhost" };
    private readonly HashSet<string> allowed = new(StringComparer.OrdinalIgnoreCase);

    /// <summary>Makes a gate.</summary>
    /// <param name="urls">Addresses Crumpet opens on; their hosts are names it goes by.</param>
    /// <param name="allowedHosts">Further names, without ports.</param>
    public HostGate(IEnumerable<string> urls, IEnumerable<string> allowedHosts)
    {
        foreach (string url in urls)
        {
            string host = BindingAddress.Parse(url).Host;
            if (host is not ("*" or "+" or "0.0.0.0" or "[::]"))
                names.Add(host);
        }
        foreach (string host in allowedHosts)
        {
            names.Add(host);
            allowed.Add(host);
        }
    }

    /// <summary>Lets a request through, or refuses it with a sentence.</summary>
    public Task CheckAsync(HttpContext context, RequestDelegate next)
    {
        var request = context.Request;
        if (!request.Host.HasValue || !IsOwn(request.Host.Host, context.Connection.LocalIpAddress))
            return RefuseAsync(context, StatusCodes.Status421MisdirectedRequest,
                $"Crumpet does not go by the name '{FieldRules.Quoted(request.Host.Value ?? "")}'; open it as localhost, or start it with --allowed-hosts "
                + $"and that name.");
        bool isChange = !(HttpMethods.IsGet(request.Method) || HttpMethods.IsHead(request.Method) || HttpMethods.IsOptions(request.Method));
        string? origin = request.Headers.Origin;
        return isChange && !string.IsNullOrEmpty(origin) && !IsSame(origin, request.Host)
            ? RefuseAsync(context, StatusCodes.Status403Forbidden,
                $"A page of '{FieldRules.Quoted(origin)}' asked for a change; Crumpet is changed from its own pages alone.")
            : next(context);
    }

    /// <summary>Whether a host is one of this machine's names: a loopback address, a name it was started with, or the very address that was reached.</summary>
    private bool IsOwn(string host, IPAddress? reached)
    {
        if (names.Contains(host))
            return true;
        // A number is no name, so nobody can give it another address.
        return IPAddress.TryParse(host.Trim('[', ']'), out var address)
            && (IPAddress.IsLoopback(address) || (reached is not null && Plain(address).Equals(Plain(reached))));
    }

    private bool IsSame(string origin, HostString host) =>
        Uri.TryCreate(origin, UriKind.Absolute, out var from)
            && (string.Equals(from.Authority, host.Value, StringComparison.OrdinalIgnoreCase) || allowed.Contains(from.Host));

    private static IPAddress Plain(IPAddress address) => address.IsIPv4MappedToIPv6 ? address.MapToIPv4() : address;

    private static Task RefuseAsync(HttpContext context, int code, string sentence)
    {
        context.Response.StatusCode = code;
        context.Response.ContentType = "text/plain; charset=utf-8";
        return context.Response.WriteAsync(sentence, context.RequestAborted);
    }
}
