using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Intake;

/// <summary>Reads everything that arrived, says what is inside and what would hurt later.</summary>
public static class IntakeStation
{
    /// <summary>Reads all files. Files that cannot be read become findings; the others are still read.</summary>
    /// <param name="files">Files in a fixed order.</param>
    /// <param name="read">Gives a file's bytes.</param>
    /// <param name="pattern">Naming pattern with <c>{part}</c> and <c>{side}</c>.</param>
    /// <param name="progress">Told before each file.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static IntakeResult Run(IReadOnlyList<SourceFile> files, Func<SourceFile, byte[]> read, string pattern, IProgress<Progress>? progress = null, CancellationToken cancel = default)
    {
        var convention = Sides.Convention(pattern);
        var byName = files.ToDictionary(f => f.Name, StringComparer.Ordinal);
        var findings = new List<Finding>();
        var fileReports = new List<FileReport>();
        var objects = new List<ObjectReport>();
        var meshes = new List<Mesh>();
        var materials = new List<Material>();
        for (int i = 0; i < files.Count; i++)
        {
            cancel.ThrowIfCancellationRequested();
            var file = files[i];
            progress?.Report(new Progress((double)i / files.Count, $"reading {file.Name}"));
            try
            {
                if (MeshFiles.IsCompanion(file.Name))
                {
                    fileReports.Add(ReadCompanion(file, read));
                    continue;
                }
                var scene = MeshFiles.Read(file.Name, read(file), name => byName.TryGetValue(name, out var other) ? read(other) : null, cancel);
                findings.AddRange(scene.Notes);
                fileReports.Add(new FileReport(file.Name, file.Bytes, "mesh", scene.Meshes.Count, scene.Meshes.Sum(m => m.TriangleCount)));
                foreach (var mesh in scene.Meshes)
                {
                    var moved = WithMaterials(mesh, scene.Materials, materials);
                    meshes.Add(moved);
                    objects.Add(Describe(file, moved, materials, convention));
                }
            }
            catch (SourceFileException e)
            {
                fileReports.Add(new FileReport(file.Name, file.Bytes, "unreadable", 0, 0));
                findings.Add(new Finding(Severity.Stop, "unreadable-file", file.Name, e.Message, 1));
            }
        }
        var lowMaterials = LowMaterials(objects, meshes, materials);
        findings.AddRange(FindingsOf(objects, lowMaterials));
        var report = new IntakeReport(fileReports, objects, lowMaterials);
        return new IntakeResult(report, new Scene("", meshes, materials, []), Finding.Sorted(findings));
    }

    private static FileReport ReadCompanion(SourceFile file, Func<SourceFile, byte[]> read)
    {
        if (!MeshFiles.IsPicture(file.Name))
            return new FileReport(file.Name, file.Bytes, "goes with a mesh", 0, 0);
        var bitmap = ImageFile.Read(read(file), file.Name);
        return new FileReport(file.Name, file.Bytes, $"picture {bitmap.Width} × {bitmap.Height} px", 0, 0);
    }

    private static Mesh WithMaterials(Mesh mesh, IReadOnlyList<Material> own, List<Material> all)
    {
        var map = new int[own.Count];
        for (int i = 0; i < own.Count; i++)
        {
            if (!mesh.TriangleMaterials.AsSpan().Contains(i))
                continue;
            map[i] = all.IndexOf(own[i]);
            if (map[i] < 0)
            {
                map[i] = all.Count;
                all.Add(own[i]);
            }
        }
        return mesh.WithTriangleMaterials(Array.ConvertAll(mesh.TriangleMaterials, m => m < 0 ? -1 : map[m]));
    }

    private static ObjectReport Describe(SourceFile file, Mesh mesh, List<Material> materials, Convention convention)
    {
        var fields = convention.Read(mesh.Name);
        var side = file.ForcedSide ?? (fields is not null ? Sides.OfWord(fields["side"]) : Sides.OfFileName(file.Name));
        var size = mesh.Bounds().Size;
        return new ObjectReport(
            file.Name, mesh.Name, fields is not null ? fields["part"] : mesh.Name, side, mesh.TriangleCount, mesh.PolygonCount, mesh.Positions.Length,
            [.. mesh.TriangleMaterials.Where(m => m >= 0).Distinct().Order().Select(m => materials[m].Name)], mesh.UvSets.Count, mesh.Normals is not null, mesh.Colours is not null,
            [size.X, size.Y, size.Z]);
    }

    private static string[] LowMaterials(List<ObjectReport> objects, List<Mesh> meshes, List<Material> materials) =>
        [.. Enumerable.Range(0, objects.Count).Where(i => objects[i].Side == Side.Low).SelectMany(i => meshes[i].TriangleMaterials).Where(m => m >= 0).Distinct().Select(m => materials[m].Name)];

    private static IEnumerable<Finding> FindingsOf(List<ObjectReport> objects, string[] lowMaterials)
    {
        foreach (var o in objects.Where(o => o is { Side: Side.Low, UvSets: 0 }))
            yield return new Finding(Severity.Stop, "low-without-uvs", o.Name, $"{o.Name} in {o.File} has no UVs, so nothing can be baked onto it; unwrap it and drop the file again.", o.Triangles);
        if (lowMaterials.Length > 1)
        {
            yield return new Finding(
                Severity.Warn, "several-low-materials", string.Join(", ", lowMaterials),
                $"The low side has {lowMaterials.Length} materials ({string.Join(", ", lowMaterials)}), so the bake is split into {lowMaterials.Length} sheets; give it one material if that was not meant.", lowMaterials.Length);
        }
        foreach (var o in objects.Where(o => o.Side == Side.Unknown))
            yield return new Finding(Severity.Warn, "side-unknown", o.Name, $"{o.Name} in {o.File} tells its side neither by its own name nor by its file's; end the name in _low or _high.", o.Triangles);
        if (objects.Count > 0 && objects.All(o => o.Side != Side.Low))
            yield return new Finding(Severity.Stop, "no-low", "", "No object is a low side; drop a mesh whose name ends in _low.");
        if (objects.Count > 0 && objects.All(o => o.Side != Side.High))
            yield return new Finding(Severity.Stop, "no-high", "", "No object is a high side; drop a mesh whose name ends in _high.");
        if (objects.Count == 0)
            yield return new Finding(Severity.Stop, "no-mesh", "", "There is no mesh that can be read; drop OBJ, glTF or GLB files.");
    }
}
