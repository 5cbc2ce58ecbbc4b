namespace Crumpet.Web.Pages;

/// <summary>What a page says of a draft it shows.</summary>
/// <param name="Draft">How coarse it is; 0 for none.</param>
/// <param name="IsAtWork">Whether a run makes it finer.</param>
/// <param name="Words">What it is.</param>
/// <param name="AtWork">What becomes of it.</param>
/// <param name="Keep">What the button says that ends that.</param>
/// <param name="InFull">How to have it in full.</param>
public sealed record DraftModel(int Draft, bool IsAtWork, string Words, string AtWork, string Keep, string InFull);
