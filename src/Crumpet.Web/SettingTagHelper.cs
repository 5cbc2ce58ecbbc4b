using Crumpet.Core.Building;
using Crumpet.Web.Pages;
using Microsoft.AspNetCore.Mvc.Rendering;
using Microsoft.AspNetCore.Mvc.ViewFeatures;
using Microsoft.AspNetCore.Razor.TagHelpers;

namespace Crumpet.Web;

/// <summary>Marks the label of a setting that is the asset's own, and says what the kit says; one without a mark is the kit's.</summary>
[HtmlTargetElement("label", Attributes = "setting")]
public sealed class SettingTagHelper : TagHelper
{
    /// <summary>Names of the fields that lead to the setting, with points between; of what holds several, the names all begin with.</summary>
    public string Setting { get; set; } = "";

    /// <summary>The view it stands in.</summary>
    [ViewContext, HtmlAttributeNotBound]
    public ViewContext View { get; set; } = null!;

    /// <inheritdoc/>
    public override void Process(TagHelperContext context, TagHelperOutput output)
    {
        if (PlanSettings.Find(Setting) is null)
            throw new InvalidOperationException($"A plan has no setting {Setting}.");
        if (View.ViewData.Model is not StationPage page)
            return;
        var own = page.Own.Where(s => s.Setting.Path == Setting || s.Setting.Path.StartsWith(Setting + ".", StringComparison.Ordinal)).ToArray();
        if (own.Length == 0)
            return;
        string kits = own.Length == 1 ? $"the kit says {own[0].Kits} {own[0].Setting.Unit}".TrimEnd() : "the kit says otherwise";
        var mark = new TagBuilder("span");
        mark.AddCssClass("own-mark");
        mark.Attributes["title"] = $"This asset's own; {kits}";
        var words = new TagBuilder("span");
        words.AddCssClass("visually-hidden");
        words.InnerHtml.Append($" (this asset's own; {kits})");
        mark.InnerHtml.AppendHtml(words);
        output.PostContent.AppendHtml(mark);
    }
}
