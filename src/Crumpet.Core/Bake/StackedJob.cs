using Crumpet.Core.Geometry;
using Crumpet.Core.Jobs;

namespace Crumpet.Core.Bake;

/// <summary>What stacked triangles depend on beside the UVs.</summary>
/// <param name="Sheet">Number of the sheet; null where one sheet has all triangles.</param>
/// <param name="Objects">How many low objects each part has.</param>
public sealed record StackedSettings(int? Sheet, IReadOnlyList<int> Objects);

/// <summary>What is known of the parts on a sheet.</summary>
/// <param name="Parts">Numbers of parts that have triangles of their own on it.</param>
public sealed record StackedReport(IReadOnlyList<int> Parts);

/// <summary>Finds triangles that lie exactly on those of an earlier part: for part P <c>laid/P/K</c> to <c>stacked/P</c>.</summary>
public sealed class StackedJob() : JobKind<StackedSettings>("stacked", 1)
{
    /// <inheritdoc/>
    public override string Words => "sheets to look over";

    /// <inheritdoc/>
    protected override double Cost(StackedSettings settings, IReadOnlyList<StoredFile> inputs) => 0.05 + inputs.Megabytes();

    /// <inheritdoc/>
    protected override JobOutput Work(StackedSettings settings, JobInputs inputs, JobContext context)
    {
        var parts = settings.Objects.Select((count, p) => (IReadOnlyList<Mesh>)[.. Enumerable.Range(0, count).Select(k => Flat(inputs.Bytes($"laid/{p}/{k}")))])
            .ToArray();
        var stacked = StackedTriangles.Find(parts, settings.Sheet);
        var present = Enumerable.Range(0, parts.Length).Where(p => LowSurface.Chosen(parts[p], settings.Sheet).Any(c => !stacked[p].Contains(c.Number)));
        return new JobOutput { Report = new StackedReport([.. present]) }
            .WithMany("stacked", stacked.Select((triangles, p) => ($"stacked/{p}", context.Write(triangles.Order()))));
    }

    /// <summary>A mesh of UVs alone: where its triangles are in space is of no matter.</summary>
    private static Mesh Flat(byte[] laid)
    {
        var (uvs, sheets) = MeshPieces.ReadLaid(laid);
        return new Mesh { Name = "", Positions = [], Corners = new int[uvs.Length], TriangleMaterials = sheets, UvSets = [uvs] };
    }
}
