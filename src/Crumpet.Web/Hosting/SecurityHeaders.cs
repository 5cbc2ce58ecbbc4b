namespace Crumpet.Web;

/// <summary>Headers on every answer: nothing from elsewhere, nothing inline, no framing.</summary>
internal static class SecurityHeaders
{
    private const string Policy =
        "default-src 'self'; img-src 'self' blob: data:; connect-src 'self'; script-src 'self'; style-src 'self'; font-src 'self'; object-src 'none'; "
            + "base-uri 'none'; frame-ancestors 'none'; form-action 'self'";

    public static Task Add(HttpContext context, RequestDelegate next)
    {
        var headers = context.Response.Headers;
        headers.ContentSecurityPolicy = Policy;
        headers.XContentTypeOptions = "nosniff";
        // With no referrer at all browsers hide the origin of our own forms too, and then nobody could tell them from another site's.
        headers["Referrer-Policy"] = "same-origin";
        return next(context);
    }
}
