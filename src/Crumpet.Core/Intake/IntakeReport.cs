using Crumpet.Core.Geometry;

namespace Crumpet.Core.Intake;

/// <summary>A source file as it arrived.</summary>
/// <param name="Name">File name without folders.</param>
/// <param name="Sha256">Of its bytes, lower-case hexadecimal.</param>
/// <param name="Bytes">Its size.</param>
/// <param name="ForcedSide">Side given by hand for all its objects, or null to read it from names.</param>
public sealed record SourceFile(string Name, string Sha256, long Bytes, Side? ForcedSide = null);

/// <summary>What is known of one object.</summary>
/// <param name="File">File it came from.</param>
/// <param name="Name">Its name.</param>
/// <param name="Part">Part it belongs to by its name.</param>
/// <param name="Side">Its side.</param>
/// <param name="Triangles">Triangles.</param>
/// <param name="Polygons">Faces before triangulation.</param>
/// <param name="Positions">Distinct vertices of the file.</param>
/// <param name="Materials">Names of the materials its faces use.</param>
/// <param name="UvSets">UV sets.</param>
/// <param name="HasNormals">Whether the file gives normals.</param>
/// <param name="HasColours">Whether the file gives vertex colours.</param>
/// <param name="SizeMetres">Extent along x, y, z in metres.</param>
public sealed record ObjectReport(
    string File, string Name, string Part, Side Side, int Triangles, int Polygons, int Positions,
    IReadOnlyList<string> Materials, int UvSets, bool HasNormals, bool HasColours, float[] SizeMetres);

/// <summary>What one file is.</summary>
/// <param name="Name">File name.</param>
/// <param name="Bytes">Size.</param>
/// <param name="Kind">Mesh, material library, picture or unreadable.</param>
/// <param name="Objects">Objects in it.</param>
/// <param name="Triangles">Triangles in it.</param>
public sealed record FileReport(string Name, long Bytes, string Kind, int Objects, int Triangles);

/// <summary>What intake learned from all files of an asset.</summary>
/// <param name="Files">One row a file.</param>
/// <param name="Objects">One row an object, in the order of the files.</param>
/// <param name="LowMaterials">Materials the low side uses, by first use.</param>
public sealed record IntakeReport(IReadOnlyList<FileReport> Files, IReadOnlyList<ObjectReport> Objects, IReadOnlyList<string> LowMaterials)
{
    /// <summary>Triangles of one side.</summary>
    public int Triangles(Side side) => Objects.Where(o => o.Side == side).Sum(o => o.Triangles);
}

/// <summary>The report and the geometry itself.</summary>
/// <param name="Report">What was learned.</param>
/// <param name="Scene">All objects of all files; row i of the report is mesh i.</param>
/// <param name="Findings">What was noticed.</param>
public sealed record IntakeResult(IntakeReport Report, Scene Scene, IReadOnlyList<Finding> Findings);
