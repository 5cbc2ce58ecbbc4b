using Crumpet.Storage;
using Microsoft.AspNetCore.Mvc.Rendering;
using Microsoft.AspNetCore.Mvc.ViewFeatures;
using Microsoft.AspNetCore.Razor.TagHelpers;

namespace Crumpet.Web;

/// <summary>Writes into every form which version of what was decided its page was made of, so that a change says what it was made on.</summary>
[HtmlTargetElement("form", Attributes = "[method=post]")]
public sealed class AsOfTagHelper : TagHelper
{
    /// <summary>Name of the field.</summary>
    public const string Field = "asOf";

    /// <summary>The page.</summary>
    [ViewContext]
    [HtmlAttributeNotBound]
    public ViewContext ViewContext { get; set; } = null!;

    /// <inheritdoc/>
    public override void Process(TagHelperContext context, TagHelperOutput output)
    {
        int? version = ViewContext.ViewData["Asset"] is AssetView view ? view.Version : (ViewContext.ViewData["Kit"] as Kit)?.Version;
        if (version is { } known)
            output.PostContent.AppendHtml($"<input type=\"hidden\" name=\"{Field}\" value=\"{known}\">");
    }
}
