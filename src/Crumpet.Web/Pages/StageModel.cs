using System.Text.Json;
using Crumpet.Core.Building;

namespace Crumpet.Web.Pages;

/// <summary>What the 3D stage of a page shows.</summary>
/// <param name="View">The asset.</param>
/// <param name="Modes">What can be shown.</param>
/// <param name="Start">What is shown first.</param>
public sealed record StageModel(AssetView View, IReadOnlyList<string> Modes, string Start)
{
    /// <summary>Address of a station's file, with its hash so that a changed file is fetched anew; empty where there is none.</summary>
    public string Url(Station station, string name)
    {
        var file = View.Result(station)?.Files.FirstOrDefault(f => f.Name == name);
        return file is null ? "" : $"/assets/{View.Asset.Id}/files/{station.ToString().ToLowerInvariant()}/{Uri.EscapeDataString(name)}?v={file.Sha256[..12]}";
    }

    /// <summary>Addresses of the first sheet's baked maps by name, as JSON; none while the bake is out of date.</summary>
    public string BakedMaps()
    {
        var sheet = View.Report<BakeReport>(Station.Bake)?.Sheets[0];
        return JsonSerializer.Serialize(sheet?.Maps.ToDictionary(m => m.Key, m => Url(Station.Bake, m.Value)) ?? [], BuildJson.Options);
    }

    /// <summary>Addresses of the first sheet's bound textures by slot, as JSON.</summary>
    public string Textures()
    {
        var sheet = View.Report<BindReport>(Station.Bind)?.Sheets[0];
        return JsonSerializer.Serialize(sheet?.Slots.Where(s => s.File is not null).ToDictionary(s => s.Slot.Map, s => Url(Station.Convert, s.File!)) ?? [], BuildJson.Options);
    }
}
