using Microsoft.AspNetCore.Diagnostics;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;

namespace Crumpet.Web.Pages;

/// <summary>Says why a request has no other answer: with a status, and a sentence that tells what to do.</summary>
[IgnoreAntiforgeryToken]
public sealed class ErrorModel : PageModel
{
    private static readonly object SentenceKey = new();

    /// <summary>Status of the answer.</summary>
    public int Code => Response.StatusCode;

    /// <summary>What is wrong and what to do, one sentence or two.</summary>
    public string Sentence => HttpContext.Items[SentenceKey] as string
        ?? (HttpContext.Features.Get<IExceptionHandlerFeature>()?.Error is Core.SourceFileException e ? e.Message : Code switch
        {
            400 => "The request cannot be understood, or the page it came from is too old; reload the page and try again.",
            403 => "That is not yours to change from there.",
            404 => "The address leads to no kit, asset or file that exists now.",
            405 => "This address does not do that; go there from its page.",
            413 => "That is more than is taken at once; send less.",
            415 => "What was sent is of a kind that is not taken here; use the page's form.",
            416 => "The file has no such range.",
            < 500 => "The request cannot be answered; reload the page and try again.",
            _ => "Something went wrong inside Crumpet; nothing you made was lost. The log on the console says more.",
        });

    /// <summary>Gives a request a status and a sentence of its own; the page is drawn where nothing else was written.</summary>
    public static void Say(HttpContext context, int code, string sentence)
    {
        context.Response.StatusCode = code;
        context.Items[SentenceKey] = sentence;
    }

    /// <summary>Shows the page for any method, or gives the sentence alone to a script.</summary>
    public IActionResult Show()
    {
        // Opened by its own address it is as good as any that is not there.
        if (Code < 400)
            Response.StatusCode = 404;
        return Web.Show.WantsJson(Request) ? new JsonResult(new { problem = Sentence }) { StatusCode = Code } : Page();
    }

    /// <summary>Shows the page.</summary>
    public IActionResult OnGet() => Show();

    /// <summary>The same when a form led here.</summary>
    public IActionResult OnPost() => Show();
}
