using Crumpet.Core.Bind;
using Crumpet.Core.Building;
using Crumpet.Core.Geometry;
using Microsoft.AspNetCore.Mvc;

namespace Crumpet.Web.Pages.Bind;

/// <summary>Inputs, what fills them and why, and the asset lit with its textures.</summary>
public sealed class IndexModel(Workbench workbench) : StationPage(workbench)
{
    /// <summary>How a list says that names decide, and that an input stays empty; what else it says is a texture.</summary>
    public const string ByName = "by name", Empty = "empty", Use = "use ";

    /// <inheritdoc/>
    public override Station Station => Station.Bind;

    /// <summary>Textures there are, with the picture each was made from.</summary>
    public IReadOnlyList<BoardTexture> Textures => [.. (View.Report<ConvertReport>(Station.Convert)?.Textures ?? []).Select(t =>
        new BoardTexture(t, View.Shown(Station.Pack)?.Files.FirstOrDefault(f => f.Name == t.Picture)?.Sha256))];

    /// <summary>The kit's other assets, whose textures materials can take.</summary>
    public IReadOnlyList<(int Id, string Name)> Others { get; private set; } = [];

    /// <summary>Names of the materials that wait to be bound, as far as intake tells.</summary>
    public IReadOnlyList<string> Waiting => View.Intake is { } intake && intake.Objects.Any(o => o.Side == Core.Intake.Side.Low)
        ? LowMaterials.Of(intake, AssetBuild.FileNameOf(View.Asset.Name)) : [];

    /// <summary>Textures of other assets that a material takes.</summary>
    public IReadOnlyList<SharedTexture> SharedBy(MaterialBinding material) => material.TexturesOf is not { } asset ? []
        : [.. (View.Report<BindReport>(Station.Bind)?.Shared ?? []).Where(t => t.Asset == asset)];

    /// <inheritdoc/>
    protected override async Task LoadMoreAsync() => Others = await Workbench.OthersAsync(Id);

    /// <summary>Lets a material take another asset's textures, or its own.</summary>
    /// <param name="material">Name of the material.</param>
    /// <param name="asset">Name of the asset; empty for its own.</param>
    public Task<IActionResult> OnPostTexturesOfAsync(string? material, string? asset) =>
        ChangeAsync(plan => plan.WithMaterial(material ?? "", new TakeTexturesOf(material ?? "", asset ?? "").Applied));

    /// <summary>Records the pattern and binds.</summary>
    public Task<IActionResult> OnPostBindAsync(string pattern) => DecideAndRunAsync(plan => plan with { BindPattern = (pattern ?? "").Trim() });

    /// <summary>Puts a texture into an input, leaves it empty, or lets names decide.</summary>
    /// <param name="material">Name of the material.</param>
    /// <param name="input">Name of the input.</param>
    /// <param name="how">One of the words above.</param>
    public Task<IActionResult> OnPostPutAsync(string? material, string? input, string? how) => ChangeAsync(plan =>
        plan.WithMaterial(material ?? "", how == ByName ? new TakeOutOf(material ?? "", input ?? "").Applied
            : new PutInto(material ?? "", input ?? "", how?.StartsWith(Use, StringComparison.Ordinal) == true ? how[Use.Length..] : "").Applied));

    /// <summary>Gives a material a model, or leaves it to its textures.</summary>
    public Task<IActionResult> OnPostModelAsync(string? material, string? model) =>
        ChangeAsync(plan => plan.WithMaterial(material ?? "", m => m with { Model = string.IsNullOrEmpty(model) ? null : model }));

    /// <summary>Records what a material says of its surface.</summary>
    public async Task<IActionResult> OnPostSurfaceAsync(string? material, SurfaceForm form)
    {
        if (!await LoadAsync())
            return NotFound();
        return await ChangeAsync(plan => plan.WithMaterial(material ?? "", m => m with { Traits = form.Over(Said(material)), Opened = [] }));
    }

    /// <summary>Lets a material say what its source says.</summary>
    public Task<IActionResult> OnPostAsSourceAsync(string? material) =>
        ChangeAsync(plan => plan.WithMaterial(material ?? "", m => m with { Traits = null, Opened = [] }));

    /// <summary>What a material says: as decided, or as it was bound last.</summary>
    public MaterialTraits Said(string? material) => View.Plan.Materials.GetValueOrDefault(material ?? "")?.Traits
        ?? View.Report<BindReport>(Station.Bind)?.Materials.FirstOrDefault(m => m.Material == material)?.Traits ?? MaterialTraits.Plain;
}

/// <summary>A texture on the board.</summary>
/// <param name="Texture">What is known of it.</param>
/// <param name="Picture">Hash of the picture it was made from, or null.</param>
public sealed record BoardTexture(ConvertedTexture Texture, string? Picture);
