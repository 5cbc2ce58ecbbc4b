using Crumpet.Core.Building;
using Microsoft.AspNetCore.Mvc;

namespace Crumpet.Web.Pages.AnyStation;

/// <summary>A station without a page of its own: what it is for, what it gave, and its button.</summary>
public sealed class IndexModel(Workbench workbench) : StationPage(workbench)
{
    /// <summary>Its word, from the address.</summary>
    [BindProperty(SupportsGet = true, Name = "station")]
    public string Word { get; set; } = "";

    /// <inheritdoc/>
    public override Station Station => Station.Table.Find(Word) ?? Station.Intake;

    /// <inheritdoc/>
    public override Task OnPageHandlerExecutionAsync(Microsoft.AspNetCore.Mvc.Filters.PageHandlerExecutingContext context,
        Microsoft.AspNetCore.Mvc.Filters.PageHandlerExecutionDelegate next)
    {
        if (Station.Table.Find(Word) is null)
        {
            context.Result = NotFound();
            return Task.CompletedTask;
        }
        return base.OnPageHandlerExecutionAsync(context, next);
    }
}
