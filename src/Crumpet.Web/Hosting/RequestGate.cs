using Crumpet.Web.Pages;

namespace Crumpet.Web.Hosting;

/// <summary>Turns what is wrong with a request itself into an answer with a sentence, before any page sees it.</summary>
internal static class RequestGate
{
    /// <summary>Reads the form, so that one that is too large or cut is told apart from a page that failed.</summary>
    public static async Task CheckAsync(HttpContext context, RequestDelegate next)
    {
        if (context.GetEndpoint() is not null && context.Request.HasFormContentType && HttpMethods.IsPost(context.Request.Method))
        {
            if (await ProblemOfFormAsync(context) is { } problem)
            {
                // Nobody is to read it again on the way to the page that says so.
                (context.Request.Method, context.Request.ContentType) = (HttpMethods.Get, null);
                ErrorModel.Say(context, problem.Code, problem.Sentence);
                return;
            }
        }
        await next(context);
    }

    private static async Task<(int Code, string Sentence)?> ProblemOfFormAsync(HttpContext context)
    {
        try
        {
            if (context.Request.ContentLength > AppOptions.LargestUpload)
                return (StatusCodes.Status413PayloadTooLarge, TooLarge);
            await context.Request.ReadFormAsync(context.RequestAborted);
            return null;
        }
        catch (BadHttpRequestException e) when (e.StatusCode == StatusCodes.Status413PayloadTooLarge)
        {
            return (e.StatusCode, TooLarge);
        }
        catch (InvalidDataException e)
        {
            return e.Message.Contains("limit", StringComparison.OrdinalIgnoreCase)
                ? (StatusCodes.Status413PayloadTooLarge, TooLarge)
                : (StatusCodes.Status400BadRequest, "What was sent cannot be read as a form; reload the page and send it again.");
        }
        catch (IOException) when (!context.RequestAborted.IsCancellationRequested)
        {
            return (StatusCodes.Status400BadRequest, "What was sent is cut; send it again.");
        }
    }

    /// <summary>The status an exception deserves: what was sent badly is not our failure.</summary>
    public static int StatusOf(Exception e) => e switch
    {
        BadHttpRequestException bad => bad.StatusCode,
        Core.SourceFileException => StatusCodes.Status422UnprocessableEntity,
        _ => StatusCodes.Status500InternalServerError,
    };

    private static string TooLarge =>
        $"That is too much at once: at most {Show.Count(AppOptions.MostFiles)} files and {AppOptions.LargestUpload >> 30} GiB are taken; drop fewer at a "
        + $"time, or a zip.";
}
