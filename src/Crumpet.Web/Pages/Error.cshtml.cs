using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;

namespace Crumpet.Web.Pages;

/// <summary>Says that a page is not there or failed.</summary>
[IgnoreAntiforgeryToken]
public sealed class ErrorModel : PageModel
{
    /// <summary>Status of the answer.</summary>
    public int Code { get; private set; }

    /// <summary>Shows the page for any method.</summary>
    public void OnGet(int code = 500) => Code = code;

    /// <summary>The same when a form led here.</summary>
    public void OnPost(int code = 500) => Code = code;
}
