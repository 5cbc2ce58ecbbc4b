using Crumpet.Core.Geometry;
using Crumpet.Core.Jobs;

namespace Crumpet.Core.Layout;

/// <summary>An object to lay out, by name.</summary>
/// <param name="Name">Its name, by which pins and chosen islands know it.</param>
/// <param name="Part">Its part.</param>
public sealed record LaidObject(string Name, string Part);

/// <summary>What a layout depends on beside the meshes.</summary>
/// <param name="Layout">What was decided.</param>
/// <param name="Size">Side of the sheets, pixels.</param>
/// <param name="Objects">Objects of the low side, in the order of the inputs.</param>
public sealed record LayoutJobSettings(LayoutSettings Layout, int Size, IReadOnlyList<LaidObject> Objects);

/// <summary>How many triangles of a sheet have a material.</summary>
/// <param name="Material">Number of the material; -1 for none.</param>
/// <param name="Triangles">Triangles.</param>
public sealed record MaterialShare(int Material, int Triangles);

/// <summary>What a layout tells.</summary>
/// <param name="Layout">Its numbers.</param>
/// <param name="Materials">Materials of each sheet's triangles, ascending.</param>
public sealed record LaidReport(LayoutReport Layout, IReadOnlyList<IReadOnlyList<MaterialShare>> Materials);

/// <summary>Lays out the low side: <c>shape/K</c> and <c>spread/K</c> to <c>laid/K</c>, <c>islands</c> and <c>places</c>.</summary>
public sealed class LayoutJob() : JobKind<LayoutJobSettings>("layout", 10)
{
    /// <summary>Role of the file that says where islands lie.</summary>
    public const string Places = "places";

    /// <inheritdoc/>
    public override string Words => "low sides to lay out";

    /// <inheritdoc/>
    public override double SecondsAUnit => 2;

    /// <inheritdoc/>
    public override bool UsesThreads(IReadOnlyList<StoredFile> inputs) => true;

    /// <inheritdoc/>
    protected override double Cost(LayoutJobSettings settings, IReadOnlyList<StoredFile> inputs)
    {
        double megabytes = 0.05 + inputs.Megabytes();
        // Packing and unwrapping take far longer than measuring what came.
        return settings.Layout.Pack || settings.Layout.Uvs == UvSource.Unwrap ? 20 * megabytes : megabytes;
    }

    /// <inheritdoc/>
    protected override JobOutput Work(LayoutJobSettings settings, JobInputs inputs, JobContext context)
    {
        var objects = settings.Objects.Select((o, k) => new LayoutObject(inputs.Mesh($"shape/{k}", $"spread/{k}") with { Name = o.Name }, o.Part)).ToArray();
        var input = new LayoutInput(objects, settings.Layout, settings.Size) { Threads = context.Threads };
        var result = LayoutStation.Run(input, context.Progress, context.Cancel);
        return new JobOutput { Report = new LaidReport(result.Report, MaterialsOf(objects, result)) }
            .WithMany("laid", objects.Select((_, k) => ($"laid/{k}", MeshPieces.Laid(result.Uvs[k], result.TriangleSheets[k]))))
            .With("islands", LayoutView.Write(input, result))
            .With(Places, context.Write(result.Places));
    }

    private static IReadOnlyList<MaterialShare>[] MaterialsOf(LayoutObject[] objects, LayoutResult result)
    {
        var counts = new SortedDictionary<int, int>[result.Report.Sheets.Count];
        for (int sheet = 0; sheet < counts.Length; sheet++)
            counts[sheet] = [];
        for (int k = 0; k < objects.Length; k++)
        {
            for (int t = 0; t < objects[k].Mesh.TriangleCount; t++)
            {
                if (MeshFlaws.IsEmpty(objects[k].Mesh, t))
                    continue;
                var here = counts[counts.Length == 1 ? 0 : result.TriangleSheets[k][t]];
                int material = objects[k].Mesh.TriangleMaterials[t];
                here[material] = here.GetValueOrDefault(material) + 1;
            }
        }
        return [.. counts.Select(c => (IReadOnlyList<MaterialShare>)[.. c.Select(p => new MaterialShare(p.Key, p.Value))])];
    }
}
