using Crumpet.Core.Checking;
using Microsoft.AspNetCore.Razor.TagHelpers;

namespace Crumpet.Web;

/// <summary>Gives a field the limits of its rule: the length of a text, the range of a number.</summary>
[HtmlTargetElement("input", Attributes = "limits", TagStructure = TagStructure.WithoutEndTag)]
public sealed class LimitsTagHelper : TagHelper
{
    /// <summary>The rule.</summary>
    public FieldRuleAttribute? Limits { get; set; }

    /// <inheritdoc/>
    public override void Process(TagHelperContext context, TagHelperOutput output)
    {
        switch (Limits)
        {
            case WordsAttribute words:
                output.Attributes.SetAttribute("maxlength", words.Longest);
                break;
            case WithinAttribute within when context.AllAttributes.TryGetAttribute("type", out var type) && type.Value?.ToString() == "number":
                output.Attributes.SetAttribute("min", Show.Limit(within.Shown(within.Least)));
                output.Attributes.SetAttribute("max", Show.Limit(within.Shown(within.Most)));
                break;
            case WithinAttribute within when !context.AllAttributes.ContainsName("title"):
                output.Attributes.SetAttribute("title", within.Limits);
                break;
        }
    }
}
