using Crumpet.Core.Checking;
using Crumpet.Web.Pages;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.Filters;
using Microsoft.AspNetCore.Mvc.ModelBinding;
using Microsoft.AspNetCore.Mvc.RazorPages;

namespace Crumpet.Web.Hosting;

/// <summary>A page about something that its address names.</summary>
public interface IAddressed
{
    /// <summary>Whether that exists.</summary>
    Task<bool> ExistsAsync();
}

/// <summary>A page that can show what is wrong with what was sent.</summary>
public interface IShowsProblem
{
    /// <summary>What is wrong, one sentence, or null.</summary>
    string? Problem { get; }

    /// <summary>Shows the page with a sentence.</summary>
    Task<IActionResult> ShowAsync(string problem);
}

/// <summary>Meets every request to a page before the page does: what cannot be answered gets a status and a sentence.</summary>
internal sealed class OddRequests : IAsyncPageFilter
{
    public Task OnPageHandlerSelectionAsync(PageHandlerSelectedContext context) => Task.CompletedTask;

    public async Task OnPageHandlerExecutionAsync(PageHandlerExecutingContext context, PageHandlerExecutionDelegate next)
    {
        if (context.HandlerInstance is ErrorModel)
        {
            await next();
            return;
        }
        if (context.HandlerMethod is null)
        {
            context.Result = new StatusCodeResult(StatusCodes.Status405MethodNotAllowed);
            return;
        }
        if (context.HandlerInstance is IAddressed addressed && !await addressed.ExistsAsync())
        {
            context.Result = new NotFoundResult();
            return;
        }
        if (!context.ModelState.IsValid)
        {
            string sentence = SentenceOf(context.ModelState);
            if (context.HandlerInstance is IShowsProblem page)
            {
                context.Result = await page.ShowAsync(sentence);
                if (context.Result is PageResult)
                    context.HttpContext.Response.StatusCode = StatusCodes.Status422UnprocessableEntity;
                return;
            }
            ErrorModel.Say(context.HttpContext, StatusCodes.Status400BadRequest, sentence);
            context.Result = new EmptyResult();
            return;
        }
        var executed = await next();
        if (executed is { HandlerInstance: IShowsProblem { Problem: not null }, Result: PageResult, Exception: null })
            context.HttpContext.Response.StatusCode = StatusCodes.Status422UnprocessableEntity;
    }

    private static string SentenceOf(ModelStateDictionary state)
    {
        var (field, entry) = state.First(s => s.Value?.ValidationState == ModelValidationState.Invalid);
        string name = FieldRules.Quoted(field);
        return string.IsNullOrEmpty(entry!.AttemptedValue)
            ? $"The field {name} is missing; reload the page and try again."
            : $"The field {name} holds '{FieldRules.Quoted(entry.AttemptedValue)}', which it cannot; correct it.";
    }
}
