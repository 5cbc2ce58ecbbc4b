using System.Text.Json;
using Crumpet.Core;
using Crumpet.Core.Bake;
using Crumpet.Core.Building;
using Crumpet.Core.Imaging;
using Crumpet.Core.Intake;
using Crumpet.Core.Pack;

namespace Crumpet.Cli;

/// <summary>An asset's maps in a folder, told apart by the ending of their files' names: <c>ASSET_MAP.png</c>.</summary>
/// <param name="Folder">The folder.</param>
/// <param name="Asset">The asset.</param>
/// <param name="Files">Its maps by name.</param>
internal sealed record MapFolder(DirectoryInfo Folder, string Asset, Dictionary<string, FileInfo> Files)
{
    /// <summary>The assets of a folder by name.</summary>
    /// <exception cref="SourceFileException">There is no folder, no map in it, or one map twice.</exception>
    public static SortedDictionary<string, MapFolder> Read(DirectoryInfo folder)
    {
        if (!folder.Exists)
            throw new SourceFileException(folder.Name, "", $"there is no folder {folder.FullName}", "Check the path");
        var assets = new SortedDictionary<string, MapFolder>(StringComparer.Ordinal);
        foreach (var file in folder.EnumerateFiles().Where(f => MeshFiles.IsPicture(f.Name)).OrderBy(f => f.Name, StringComparer.Ordinal))
        {
            if (BakeMaps.InFile(Path.GetFileNameWithoutExtension(file.Name)) is not { } named)
                continue;
            if (!assets.TryGetValue(named.Sheet, out var own))
                assets.Add(named.Sheet, own = new MapFolder(folder, named.Sheet, new Dictionary<string, FileInfo>(StringComparer.Ordinal)));
            if (!own.Files.TryAdd(named.Map, file))
                throw new SourceFileException(file.Name, "", $"it and {own.Files[named.Map].Name} are both {named.Map} of {named.Sheet}",
                    "Take one of them out of the folder");
        }
        return assets.Count > 0 ? assets
            : throw new SourceFileException(folder.Name, "", "the folder has no picture named <asset>_<map>", "Bake into it first, or name them so");
    }

    /// <summary>The maps as a recipe takes them.</summary>
    public PackSources Sources() => new(Files.Keys.ToHashSet(StringComparer.Ordinal), Load);

    /// <summary>Size of the asset's sheet, pixels: that of its largest map.</summary>
    /// <param name="side">Longest side it is to have; null for the map's own.</param>
    public (int Width, int Height) Sheet(int? side)
    {
        var (width, height) = Files.OrderBy(f => f.Key, StringComparer.Ordinal).Select(f => ImageFile.SizeOf(Output.ReadFile(f.Value), f.Value.Name))
            .MaxBy(s => (long)s.Width * s.Height);
        return side is null ? (width, height) : new OutputSize(0, side.Value).For(width, height);
    }

    private PackSource Load(string name)
    {
        var read = ImageFile.Read(Output.ReadFile(Files[name]), Files[name].Name);
        var map = BakeMaps.Find(name);
        // Floating point holds units; outputs of whole numbers take what is shown of it.
        return new PackSource(read, OutputJob.MeaningOf(name))
        {
            Shown = read is Bitmap32 && map is not null ? MapFiles.ShareOf(map, ScaleOf(map)) : null,
        };
    }

    private MapScale? ScaleOf(BakeMap map)
    {
        var file = new FileInfo(Path.Combine(Folder.FullName, MapFiles.ScalesOf(Asset)));
        if (!file.Exists)
            return null;
        try
        {
            return JsonSerializer.Deserialize<MapScale[]>(Output.ReadFile(file), BuildJson.Options)!.FirstOrDefault(s => s.Map == map);
        }
        catch (JsonException e)
        {
            throw new SourceFileException(file.Name, e.Path ?? "", "it cannot be read as the scales of maps", "Bake again", e);
        }
    }
}
