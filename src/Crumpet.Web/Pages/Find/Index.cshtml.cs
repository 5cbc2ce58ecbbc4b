using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;

namespace Crumpet.Web.Pages.Find;

/// <summary>What was looked for: as a page, or as the list under the masthead's field.</summary>
public sealed class IndexModel(Finder finder) : PageModel
{
    private const int FewOfAKind = 6;
    private const int ManyOfAKind = 200;

    /// <summary>The query.</summary>
    [BindProperty(SupportsGet = true)]
    public string? Q { get; set; }

    /// <summary>What was found.</summary>
    public IReadOnlyList<Found> Found { get; private set; } = [];

    /// <summary>Looks.</summary>
    public async Task<IActionResult> OnGetAsync()
    {
        bool isList = Request.Headers.ContainsKey("HX-Request");
        Found = await finder.FindAsync(Q, isList ? FewOfAKind : ManyOfAKind);
        return isList ? (string.IsNullOrWhiteSpace(Q) ? new EmptyResult() : Partial("_Found", Found)) : Page();
    }
}
