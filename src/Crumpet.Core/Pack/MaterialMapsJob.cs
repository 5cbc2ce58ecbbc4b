using Crumpet.Core.Bake;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Jobs;
using Crumpet.Core.Layout;

namespace Crumpet.Core.Pack;

/// <summary>What a material says without textures, as codes of 0 to 255 a channel.</summary>
/// <param name="Number">Number of the material; -1 for triangles without one.</param>
/// <param name="Maps">Codes by the map's name.</param>
public sealed record MaterialValues(int Number, IReadOnlyDictionary<string, int[]> Maps);

/// <summary>What maps of a sheet's materials depend on beside the UVs.</summary>
/// <param name="Sheet">Number of the sheet; null where one sheet has all triangles.</param>
/// <param name="Size">Side of the sheet, pixels.</param>
/// <param name="PaddingPixels">How far islands grow, pixels; negative for the whole sheet.</param>
/// <param name="Materials">Values of each material on the sheet; the first is that of empty room.</param>
public sealed record MaterialMapsSettings(int? Sheet, int Size, int PaddingPixels, IReadOnlyList<MaterialValues> Materials);

/// <summary>Draws what the materials of a sheet say where they differ: <c>spread/K</c> and <c>laid/K</c> to a picture a map, <c>map/NAME</c>.</summary>
public sealed class MaterialMapsJob() : JobKind<MaterialMapsSettings>("material maps", 1)
{
    /// <inheritdoc/>
    public override string Words => "sheets of materials to draw";

    /// <inheritdoc/>
    public override double SecondsAUnit => 0.3;

    /// <inheritdoc/>
    public override bool UsesThreads(IReadOnlyList<StoredFile> inputs) => true;

    /// <inheritdoc/>
    protected override double Cost(MaterialMapsSettings settings, IReadOnlyList<StoredFile> inputs) => 0.05 + settings.Size * settings.Size / 1e6;

    /// <inheritdoc/>
    protected override JobOutput Work(MaterialMapsSettings settings, JobInputs inputs, JobContext context)
    {
        int[] owners = Owners(settings, inputs, context);
        var values = settings.Materials.ToDictionary(m => m.Number, m => m.Maps);
        var output = new JobOutput();
        foreach (string map in settings.Materials[0].Maps.Keys)
        {
            context.Cancel.ThrowIfCancellationRequested();
            var codes = values.ToDictionary(v => v.Key, v => v.Value[map].Select(c => (byte)c).ToArray());
            byte[] empty = [.. settings.Materials[0].Maps[map].Select(c => (byte)c)];
            var picture = new Bitmap8(settings.Size, settings.Size, empty.Length);
            for (int at = 0; at < owners.Length; at++)
                (owners[at] == Nobody ? empty : codes[owners[at]]).CopyTo(picture.Pixels, at * empty.Length);
            output.With(OutputJob.Map(map), ImageFile.WritePng(picture, cancel: context.Cancel));
        }
        return output;
    }

    private const int Nobody = -2;

    /// <summary>Number of the material at each texel.</summary>
    private static int[] Owners(MaterialMapsSettings settings, JobInputs inputs, JobContext context)
    {
        int size = settings.Size;
        var owners = new int[size * size];
        Array.Fill(owners, Nobody);
        var covered = new bool[owners.Length];
        var corners = new double[6];
        for (int k = 0; k < inputs.Count("laid"); k++)
        {
            context.Cancel.ThrowIfCancellationRequested();
            int[] materials = MeshPieces.MaterialsOf(inputs.Bytes($"spread/{k}"));
            var (uvs, sheets) = MeshPieces.ReadLaid(inputs.Bytes($"laid/{k}"));
            for (int t = 0; t < sheets.Length; t++)
            {
                if (settings.Sheet is not null && sheets[t] != settings.Sheet)
                    continue;
                for (int c = 0; c < 3; c++)
                    (corners[2 * c], corners[2 * c + 1]) = (uvs[3 * t + c].X, uvs[3 * t + c].Y);
                int material = materials[t];
                // Rows of pictures run down, the sheet's run up.
                CoverageRaster.ForEachTexel(corners, size, at =>
                {
                    int texel = (size - 1 - at / size) * size + at % size;
                    (owners[texel], covered[texel]) = (material, true);
                });
            }
        }
        SheetPadding.Apply(SheetPadding.Sources(covered, size, settings.PaddingPixels, context.Threads, context.Cancel), owners, 1, context.Threads,
            context.Cancel);
        return owners;
    }
}
