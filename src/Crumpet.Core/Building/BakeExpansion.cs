using Crumpet.Core.Bake;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Intake;
using Crumpet.Core.Jobs;
using Crumpet.Core.Pairs;

namespace Crumpet.Core.Building;

/// <summary>The jobs of Bake.</summary>
internal static class BakeExpansion
{
    /// <summary>Lists them.</summary>
    /// <returns>Whether all could be listed.</returns>
    public static bool Add(AssetGraph graph)
    {
        var bake = graph.Input.Plan.Bake;
        PartRow[] rows = [.. graph.Pairs!.Paired];
        if (graph.Rays.Take(rows.Length).Any(r => r.Result is null))
            return false;
        var pieces = new PieceExpansion(graph, rows);
        bool areAllListed = true;
        foreach (var sheet in graph.Sheets)
        {
            var nodes = new SheetNodes(sheet, bake.SizeOf(sheet.Name));
            graph.SheetNodes.Add(nodes);
            areAllListed &= pieces.Add(nodes);
            AddMade(graph, nodes, rows.Length > 0);
        }
        // A scale that is fitted goes by the pieces of all sheets.
        foreach (var nodes in graph.SheetNodes.Where(n => n.Stacked?.Result is not null))
            areAllListed &= pieces.AddMaps(nodes);
        return areAllListed;
    }

    /// <summary>The content of a picture that arrived, as mends left it; null where it is gone.</summary>
    public static (StoredFile File, string Ending)? PictureOf(AssetGraph graph, string file)
    {
        if (graph.Intake!.Textures.FirstOrDefault(t => t.File == file)?.MendedFile is { } mended
            && graph.TakenIn!.Result!.Find(TakeInJob.Mended(mended)) is { } made)
            return (made, Path.GetExtension(mended));
        return graph.Input.Sources.Concat(graph.InnerPictures).FirstOrDefault(s => s.Name == file) is { } source
            ? (new StoredFile(file, source.Sha256, source.Bytes), Path.GetExtension(file).ToLowerInvariant()) : null;
    }

    private static void AddMade(AssetGraph graph, SheetNodes nodes, bool anyParts)
    {
        var bake = graph.Input.Plan.Bake;
        foreach (var made in bake.Made)
        {
            if ((anyParts && bake.Maps.Contains(made.To)) || PictureOf(graph, made.File) is not { } picture)
                continue;
            nodes.Made[made.To] = graph.Add(
                Station.Bake, JobKinds.MadeMap, $"{made.To.Label} on {nodes.Sheet.Name}",
                new MadeMapSettings(made.From, made.To, made.Strength, made.RadiusPixels, made.Wrap, graph.Input.Plan.Target.Green, nodes.Size, picture.Ending),
                    ("picture", picture.File));
        }
    }
}

/// <summary>The pieces of an asset's sheets.</summary>
internal sealed class PieceExpansion
{
    private readonly AssetGraph graph;
    private readonly PartRow[] rows;
    private readonly BakeSettings bake;
    private readonly IReadOnlyList<ObjectReport> objects;
    private readonly BakeMap[] maps;
    private readonly PartViews views;
    private readonly Dictionary<int, int> lowPlaces;
    private readonly bool missesAreHoles;
    private readonly Bounds box;

    public PieceExpansion(AssetGraph graph, PartRow[] rows)
    {
        (this.graph, this.rows, bake, objects) = (graph, rows, graph.Input.Plan.Bake, graph.Intake!.Objects);
        maps = BakeMap.Table.Sorted(bake.Maps);
        missesAreHoles = maps.Any(m => m.CountsMisses(bake));
        box = AssetGraph.BoxOf(objects);
        lowPlaces = LayoutExpansion.LowNumbers(graph).Select((o, k) => (o, k)).ToDictionary(p => p.o, p => p.k);
        views = new PartViews(
            [.. rows.Select((row, p) => new ViewPart(
                AssetGraph.BoxOf(row.Low.Select(i => objects[i])), [.. row.High.Select(i => objects[i].Bounds())], graph.Rays[p].Report<RaysRoom>(),
                    row.OutwardReachMetres, row.InwardReachMetres, row.Tray, row.Sees ?? bake.Occluders, RangeOf(row)))]);
    }

    private float RangeOf(PartRow row) => PartViews.OcclusionRange(bake, AssetGraph.BoxOf(row.High.Select(i => objects[i])));

    /// <summary>Lists the jobs of a sheet.</summary>
    /// <returns>Whether all could be listed.</returns>
    public bool Add(SheetNodes nodes)
    {
        if (rows.Length == 0)
        {
            AddFaultMap(nodes, []);
            return true;
        }
        nodes.Stacked = graph.Add(
            Station.Bake, JobKinds.Stacked, nodes.Sheet.Name, new StackedSettings(nodes.Sheet.Number, [.. rows.Select(r => r.Low.Count)]),
            rows.SelectMany((r, p) => r.Low.Select((o, k) => ($"laid/{p}/{k}", Laid(o)))));
        if (nodes.Stacked.Report<StackedReport>() is not { } stacked)
            return false;
        foreach (int part in stacked.Parts)
        {
            var place = new PiecePlace(nodes, part, views.Seen(part));
            nodes.Covers.Add(Piece(place, null));
            foreach (var map in maps)
            {
                if (!nodes.Pieces.TryGetValue(map, out var pieces))
                    nodes.Pieces.Add(map, pieces = []);
                pieces.Add(Piece(place, map));
            }
        }
        AddFaultMap(nodes, stacked.Parts);
        return true;
    }

    /// <summary>Lists the maps of a sheet.</summary>
    /// <returns>Whether all could be listed.</returns>
    public bool AddMaps(SheetNodes nodes)
    {
        bool areAllListed = true;
        foreach (var map in maps)
        {
            float? scale = MapScales.Metres(map, bake);
            if (scale is null && MapScales.Asks(map))
            {
                if (Spread(graph, map) is { } spread)
                    scale = MapScales.Fitting(map, spread);
                else
                {
                    areAllListed = false;
                    continue;
                }
            }
            AddMap(nodes, map, scale);
        }
        return areAllListed;
    }

    /// <summary>How a map's values are spread over all sheets; null where pieces of it are still to come.</summary>
    public static MapSpread? Spread(AssetGraph graph, BakeMap map)
    {
        var pieces = graph.SheetNodes.SelectMany(n => n.Pieces.GetValueOrDefault(map) ?? []).ToArray();
        return graph.SheetNodes.Any(n => n.Stacked is { Result: null }) || pieces.Any(p => p.Result is null) ? null
            : MapSpread.Sum(pieces.Select(p => p.Report<PieceReport>()!.Spread));
    }

    private sealed record PiecePlace(SheetNodes Nodes, int Part, IReadOnlyList<(int Part, int Number)> Seen);

    private JobFile Laid(int o) => graph.Layout![$"laid/{lowPlaces[o]}"];

    private void AddFaultMap(SheetNodes nodes, IReadOnlyList<int> parts) => nodes.Faults = graph.Add(
        Station.Bake, JobKinds.FaultMap, nodes.Sheet.Name, new FaultMapSettings(nodes.Size, bake.SamplesBaked, [.. parts.Select(p => rows[p].Name)]),
        nodes.Covers.Select((c, p) => ($"cover/{p}", c["piece"])));

    private void AddMap(SheetNodes nodes, BakeMap map, float? scale)
    {
        var settings = new SheetMapSettings
        {
            Map = map,
            Size = nodes.Size,
            Samples = bake.SamplesBaked,
            File = bake.FileOf(map),
            Dither = bake.Dither && bake.FileOf(map) is MapFile.Png8 or MapFile.Tga,
            CoverageAlpha = bake.CoverageAlpha,
            PaddingPixels = bake.PaddingBaked,
            Parts = nodes.Covers.Count,
            Green = map.IsTangent ? graph.Input.Plan.Target.Green : null,
            ScaleMetres = scale,
            MissesAreHoles = map == BakeMap.Opacity ? missesAreHoles : null,
            Min = map.Values == MapValues.Position && !box.IsEmpty ? AssetGraph.Three(box.Min) : null,
            Max = map.Values == MapValues.Position && !box.IsEmpty ? AssetGraph.Three(box.Max) : null,
        };
        var pieces = nodes.Pieces.GetValueOrDefault(map) ?? [];
        nodes.Maps.Add(map, graph.Add(
            Station.Bake, JobKinds.SheetMap, $"{map.Label} of {nodes.Sheet.Name}", settings,
            nodes.Covers.SelectMany((c, p) => new[] { ($"cover/{p}", c["piece"]), ($"piece/{p}", pieces[p]["piece"]) })));
    }

    private JobNode Piece(PiecePlace place, BakeMap? map)
    {
        var row = rows[place.Part];
        var scene = graph.TakenIn!;
        var look = map is { } shown ? LookOf(shown, place.Seen) : new PieceLook();
        bool asks(MapNeeds need) => map?.Asks(need) == true;
        var light = asks(MapNeeds.Light) ? views.Occluders(place.Part) : [];
        var settings = new PieceSettings
        {
            Part = row.Name,
            Map = map,
            Size = place.Nodes.Size,
            Sheet = place.Nodes.Sheet.Number,
            Samples = bake.SamplesBaked,
            Filter = bake.Filter,
            OutwardReachMetres = row.OutwardReachMetres,
            InwardReachMetres = row.InwardReachMetres,
            EndsAreFitted = row.Cage?.Kind == CageKind.Fitted,
            MissesAreHoles = missesAreHoles,
            FillsMisses = bake.FillsMisses,
            Seen = [.. place.Seen.Select(o => new PieceObject(rows[o.Part].Name, o.Number) { Name = look.NamesObjects ? Object(o).Name : null })],
            Light = !asks(MapNeeds.Light) ? null : new PieceLight(
                bake.RaysBaked(bake.OcclusionRays), RangeOf(row), bake.OcclusionFalloffMetres, bake.BackFacesOcclude, bake.GroundOccludes
                    ? box.Min.Y : null,
                bake.Denoise && map!.IsNoisy, [.. light.Select(o => new PieceObject(rows[o.Part].Name, o.Number))]),
            Thickness = asks(MapNeeds.Thickness) ? new PieceThickness(bake.RaysBaked(bake.ThicknessRays), bake.ThicknessRangeMetres, bake.Denoise) : null,
            Curvature = asks(MapNeeds.Curvature) ? new PieceCurvature(bake.CurvatureRadiusBaked) : null,
            IdBy = asks(MapNeeds.Labels) ? bake.IdBy : null,
            OpacityBy = map == BakeMap.Opacity ? bake.OpacityBy : null,
            HighNormals = look.UsesNormals ? bake.HighNormals : null,
            Materials = look.Materials.Count > 0 ? look.Materials : null,
        };
        IEnumerable<(string, JobFile)> inputs =
        [
            .. row.Low.SelectMany((o, k) => new[] { ($"low/{k}", scene[$"shape/{o}"]), ($"laid/{k}", Laid(o)) }),
            ("rays", graph.Rays[place.Part]["rays"]), ("stacked", place.Nodes.Stacked![$"stacked/{place.Part}"]),
            .. place.Seen.Select((o, k) => ($"high/{k}", scene[$"shape/{Number(o)}"])),
                .. look.Spread.Select(k => ($"spread/{k}", scene[$"spread/{Number(place.Seen[k])}"])),
            .. light.Select((o, k) => ($"occluder/{k}", scene[$"shape/{Number(o)}"])), .. look.Pictures.Select(p => (p.Key, (JobFile)p.Value)),
        ];
        return graph.Add(Station.Bake, JobKinds.Piece, $"{(map?.Label ?? "cover")} of {row.Name} on {place.Nodes.Sheet.Name}", settings, inputs);
    }

    private int Number((int Part, int Number) o) => rows[o.Part].High[o.Number];

    private ObjectReport Object((int Part, int Number) o) => objects[Number(o)];

    /// <summary>What a map shows of the high side beside its shape.</summary>
    private sealed class PieceLook
    {
        public bool NamesObjects { get; init; }

        public bool UsesNormals { get; init; }

        public IReadOnlyList<int> Spread { get; init; } = [];

        public List<PieceMaterial> Materials { get; } = [];

        public SortedDictionary<string, StoredFile> Pictures { get; } = new(StringComparer.Ordinal);
    }

    private PieceLook LookOf(BakeMap map, IReadOnlyList<(int Part, int Number)> seen)
    {
        int[] every = [.. Enumerable.Range(0, seen.Count)];
        if (map.Asks(MapNeeds.NormalTextures) && bake.HighNormals != HighNormalUse.LeftOut)
        {
            int[] textured = [.. every.Where(k => Object(seen[k]).MaterialNumbers.Any(HasNormalTexture))];
            return WithMaterials(
                new PieceLook { Spread = textured, UsesNormals = textured.Length > 0 }, textured.Select(k => seen[k]), (_, pictures) =>
                    new PieceMaterial(0, pictures), asksNormals: true);
        }
        if (map.Asks(MapNeeds.Labels))
        {
            return bake.IdBy == IdSource.Material
                ? WithMaterials(new PieceLook { Spread = every }, seen, (m, _) => new PieceMaterial(0, []) { Name = m.Name }, asksNormals: null)
                : new PieceLook { Spread = bake.IdBy == IdSource.Colour ? every : [], NamesObjects = bake.IdBy == IdSource.Shell };
        }
        if (map.Asks(MapNeeds.Materials) && !map.CountsMisses(bake))
        {
            return WithMaterials(
                new PieceLook { Spread = every }, seen,
                (m, pictures) => new PieceMaterial(0, pictures) { BaseColour = m.BaseColour, Roughness = m.Roughness, Metalness = m.Metalness },
                    asksNormals: false);
        }
        return map.Asks(MapNeeds.VertexColours) ? new PieceLook { Spread = every } : new PieceLook();
    }

    private bool HasNormalTexture(int material) =>
        material >= 0 && graph.Intake!.Materials[material].Pictures.Any(p => p.Slot == TextureKind.Normal && p.File is { } file
        && BakeExpansion.PictureOf(graph, file) is not null);

    /// <summary>Adds the materials of some objects.</summary>
    /// <param name="look">Receives them.</param>
    /// <param name="seen">The objects.</param>
    /// <param name="make">Makes what is said of a material.</param>
    /// <param name="asksNormals">Whether normal textures are taken, or all others; null for none.</param>
    private PieceLook WithMaterials(PieceLook look, IEnumerable<(int Part, int Number)> seen,
        Func<MaterialReport, IReadOnlyList<PieceTexture>, PieceMaterial> make, bool? asksNormals)
    {
        foreach (int number in seen.SelectMany(o => Object(o).MaterialNumbers).Where(m => m >= 0).Distinct().Order())
        {
            var material = graph.Intake!.Materials[number];
            var pictures = new List<PieceTexture>();
            foreach (var use in material.Pictures.Where(p => asksNormals is { } normals && (p.Slot == TextureKind.Normal) == normals && p.File is not null)
                .DistinctBy(p => p.Slot))
            {
                if (BakeExpansion.PictureOf(graph, use.File!) is not { } picture)
                    continue;
                string role = $"picture/{number}/{use.Slot.ToString().ToLowerInvariant()}";
                look.Pictures[role] = picture.File;
                pictures.Add(new PieceTexture(use.Slot, role, picture.Ending, use.UvSet, use.UvTransform));
            }
            look.Materials.Add(make(material, pictures) with { Number = number });
        }
        return look;
    }
}
