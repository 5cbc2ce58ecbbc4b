using System.Globalization;
using System.Numerics;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Tracing;

namespace Crumpet.Core.Bake;

/// <summary>What the high side looks like at a place: what maps beside normals and light are made of. Prepared for the maps that ask.</summary>
internal sealed class HighAttributes
{
    private readonly Dictionary<Mesh, Vector4[]> tangents = new(ReferenceEqualityComparer.Instance);
    private readonly Dictionary<Mesh, float[]> curvatures = new(ReferenceEqualityComparer.Instance);
    private readonly Dictionary<(int Part, int Number), int[]> labelsOfTriangles = [];
    private readonly Dictionary<string, int> labelNumbers = new(StringComparer.Ordinal);
    private readonly List<string> labels = [];
    private readonly BakeInput input;
    private readonly BakeSettings settings;

    /// <summary>Prepares what maps ask of some objects.</summary>
    /// <param name="input">Parts and materials.</param>
    /// <param name="settings">What maps ask.</param>
    public HighAttributes(BakeInput input, BakeSettings settings)
    {
        this.input = input;
        this.settings = settings;
        Textures = new HighTextures(input.Materials);
        Normals = new HighNormals(Textures, settings.HighNormals, tangents);
    }

    /// <summary>Materials and textures.</summary>
    public HighTextures Textures { get; }

    /// <summary>Normals with what normal textures add.</summary>
    public HighNormals Normals { get; }

    /// <summary>Names that numbers of labels stand for.</summary>
    public IReadOnlyList<string> Labels => labels;

    /// <summary>Works out what maps need to know of objects, once for each object.</summary>
    public void Prepare(IEnumerable<HighObject> objects, IReadOnlyCollection<BakeMap> maps, int threads, CancellationToken cancel)
    {
        HighObject[] all = [.. objects];
        if (maps.Any(m => m.Asks(MapNeeds.Curvature)))
            PrepareCurvatures(all, threads, cancel);
        if (maps.Any(m => m.Asks(MapNeeds.NormalTextures)))
            Normals.Prepare(all, cancel);
        if (!maps.Any(m => m.Asks(MapNeeds.Labels)) || settings.IdBy == IdSource.Colour)
            return;
        foreach (var o in all)
            labelsOfTriangles.TryAdd((o.Part, o.Number), LabelTriangles(o));
    }

    private void PrepareCurvatures(HighObject[] objects, int threads, CancellationToken cancel)
    {
        Mesh[] open = [.. objects.Select(o => o.Mesh).Where(m => !curvatures.ContainsKey(m)).Distinct(ReferenceEqualityComparer.Instance).Cast<Mesh>()];
        var values = new float[open.Length][];
        // Many objects side by side, or the points of one.
        int each = open.Length >= threads ? 1 : threads;
        Parallel.For(0, open.Length, new ParallelOptions { MaxDegreeOfParallelism = threads, CancellationToken = cancel },
            i => values[i] = SurfaceCurvature.PerCorner(open[i],
                settings.CurvatureRadiusBaked ?? SurfaceCurvature.RadiusFor(open[i].Bounds()), each, cancel));
        for (int i = 0; i < open.Length; i++)
            curvatures.Add(open[i], values[i]);
    }

    /// <summary>Curvature, 1/m.</summary>
    public float Curvature(Mesh mesh, int triangle, in Hit hit)
    {
        float[] values = curvatures[mesh];
        return (1 - hit.U - hit.V) * values[3 * triangle] + hit.U * values[3 * triangle + 1] + hit.V * values[3 * triangle + 2];
    }

    /// <summary>Linear vertex colour; white where the object has none.</summary>
    public static Vector3 VertexColour(Mesh mesh, int triangle, in Hit hit)
    {
        if (mesh.Colours is not { } colours)
            return Vector3.One;
        var colour = (1 - hit.U - hit.V) * colours[3 * triangle] + hit.U * colours[3 * triangle + 1] + hit.V * colours[3 * triangle + 2];
        return new Vector3(colour.X, colour.Y, colour.Z);
    }

    /// <summary>Number of the label at a place: of <see cref="Labels"/>, or the colour itself as 24 bits of sRGB.</summary>
    public int Label(HighObject o, int triangle, in Hit hit)
    {
        if (settings.IdBy != IdSource.Colour)
            return labelsOfTriangles[(o.Part, o.Number)][triangle];
        if (o.Mesh.Colours is not { } colours)
            return 0xffffff;
        // Colours of an ID never mix: the nearest corner's counts.
        float first = 1 - hit.U - hit.V;
        int corner = first >= hit.U && first >= hit.V ? 0 : hit.U >= hit.V ? 1 : 2;
        var c = colours[3 * triangle + corner];
        return (Code(c.X) << 16) | (Code(c.Y) << 8) | Code(c.Z);

        static int Code(float linear) => (int)(Srgb.FromLinear(linear) * 255 + 0.5f);
    }

    private int[] LabelTriangles(HighObject o)
    {
        if (settings.IdBy == IdSource.Part)
            return [.. Enumerable.Repeat(NumberOf(input.Parts[o.Part].Name), o.Mesh.TriangleCount)];
        int[] groups = settings.IdBy == IdSource.Shell ? Topology.Of(o.Mesh).Shells(out _) : o.Mesh.TriangleMaterials;
        var numbers = groups.Distinct().ToDictionary(g => g, g => NumberOf(settings.IdBy == IdSource.Shell
            ? string.Create(CultureInfo.InvariantCulture, $"{o.Mesh.Name} shell {g + 1}")
            : g >= 0 && g < input.Materials.Count ? input.Materials[g].Source.Name : "no material"));
        return Array.ConvertAll(groups, g => numbers[g]);
    }

    private int NumberOf(string label)
    {
        if (!labelNumbers.TryGetValue(label, out int number))
        {
            labelNumbers.Add(label, number = labels.Count);
            labels.Add(label);
        }
        return number;
    }
}
