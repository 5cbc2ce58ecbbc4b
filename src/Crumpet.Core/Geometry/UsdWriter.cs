using System.Numerics;

namespace Crumpet.Core.Geometry;

/// <summary>
/// Writes a scene as text of Universal Scene Description with preview surfaces. Shapes that are used more than once stand in a class of their
/// own and are referred to.
/// </summary>
/// <remarks>Source: the published schemas UsdGeom, UsdShade and UsdPreviewSurface.</remarks>
public static class UsdWriter
{
    private const string Shapes = "shapes";

    /// <summary>Writes a layer.</summary>
    /// <param name="document">What to write; its space is right-handed.</param>
    /// <param name="name">Name of the prim that holds all.</param>
    /// <param name="stream">Receives UTF-8 text with LF line endings.</param>
    public static void Write(SceneDocument document, string name, Stream stream)
    {
        var tree = SceneTree.Of(document);
        var top = new UsdNames();
        string root = top.Give(name);
        using var usd = new UsdLines(stream);
        usd.Line("#usda 1.0");
        usd.Line("(");
        usd.Line($"    defaultPrim = \"{root}\"");
        usd.Line($"    metersPerUnit = {UsdLines.Number(document.Space.UnitMetres)}");
        usd.Line($"    upAxis = \"{document.Space.Up}\"");
        usd.Line(")");
        usd.Line("");
        var inside = new UsdNames();
        string scope = inside.Give("materials");
        var materials = UsdMaterialWriter.PathsOf(document.Materials, $"/{root}/{scope}");
        var shared = tree.Nodes.Where(n => n.Shape >= 0).GroupBy(n => n.Shape).Where(g => g.Count() > 1).Select(g => g.Key).Order().ToArray();
        var shapeNames = new UsdNames();
        string[] paths = new string[tree.Shapes.Count];
        if (shared.Length > 0)
        {
            string shapes = top.Give(Shapes);
            usd.Open("class Scope", shapes);
            foreach (int s in shared)
            {
                string own = shapeNames.Give(tree.Shapes[s].Mesh.Name);
                paths[s] = $"/{shapes}/{own}";
                usd.Open("def Mesh", own, "prepend apiSchemas = [\"MaterialBindingAPI\"]");
                WriteShape(usd, tree.Shapes[s], document, materials);
                usd.Close();
            }
            usd.Close();
        }
        usd.Open("def Xform", root, "kind = \"component\"", Shown(name, root));
        UsdMaterialWriter.Write(usd, document, scope, materials);
        var below = Enumerable.Range(0, tree.Nodes.Count).ToLookup(n => tree.Nodes[n].Parent);
        Nodes(-1, inside);
        usd.Close();

        void Nodes(int parent, UsdNames names)
        {
            foreach (int n in below[parent])
            {
                var node = tree.Nodes[n];
                string own = names.Give(node.Name);
                bool isShared = node.Shape >= 0 && paths[node.Shape] is not null;
                // What is below a mesh cannot be moved with it, so a mesh that has others below it stands beside them.
                bool holds = below[n].Any();
                if (node.Shape < 0 || holds)
                    usd.Open("def Xform", own, Shown(node.Name, own));
                else
                    Mesh(node, own, isShared);
                if (!node.Local.IsIdentity)
                {
                    usd.Line($"matrix4d xformOp:transform = {UsdLines.Matrix(node.Local)}");
                    usd.Line("uniform token[] xformOpOrder = [\"xformOp:transform\"]");
                }
                if (holds)
                {
                    var inner = new UsdNames();
                    if (node.Shape >= 0)
                    {
                        Mesh(node, inner.Give(node.Name), isShared);
                        usd.Close();
                    }
                    Nodes(n, inner);
                }
                usd.Close();
            }
        }

        void Mesh(SceneNode node, string own, bool isShared)
        {
            if (isShared)
            {
                usd.Open("def Mesh", own, [Shown(node.Name, own), $"prepend references = <{paths[node.Shape]}>"]);
                return;
            }
            usd.Open("def Mesh", own, [Shown(node.Name, own), "prepend apiSchemas = [\"MaterialBindingAPI\"]"]);
            WriteShape(usd, tree.Shapes[node.Shape], document, materials);
        }
    }

    private static string Shown(string name, string own) => $"displayName = {UsdLines.Quoted(name.Length > 0 ? name : own)}";

    private static void WriteShape(UsdLines usd, SceneObject item, SceneDocument document, IReadOnlyList<string> materials)
    {
        var mesh = item.Mesh;
        int[] used = [.. mesh.TriangleMaterials.Distinct().Order()];
        var bounds = mesh.Bounds();
        usd.Line($"uniform bool doubleSided = {(used.Any(m => m >= 0 && document.Materials[m].Source.Traits.TwoSided) ? 1 : 0)}");
        usd.Line("uniform token subdivisionScheme = \"none\"");
        usd.List("float3[] extent", [bounds.Min, bounds.Max], UsdLines.Write);
        usd.List("int[] faceVertexCounts", [.. Enumerable.Repeat(3, mesh.TriangleCount)], UsdLines.Write);
        usd.List("int[] faceVertexIndices", mesh.Corners, UsdLines.Write);
        usd.List("point3f[] points", mesh.Positions, UsdLines.Write);
        usd.List("normal3f[] normals", mesh.NormalsOrSmooth(), UsdLines.Write, "faceVarying");
        for (int set = 0; set < mesh.UvSets.Count; set++)
            usd.List($"texCoord2f[] primvars:{UvName(set)}", mesh.UvSets[set], UsdLines.Write, "faceVarying");
        if (item.Tangents is { } tangents)
            usd.List("float4[] primvars:tangents", tangents, UsdLines.Write, "faceVarying");
        if (mesh.Colours is { } colours)
        {
            usd.List("color3f[] primvars:displayColor", Array.ConvertAll(colours, c => new Vector3(c.X, c.Y, c.Z)), UsdLines.Write, "faceVarying");
            usd.List("float[] primvars:displayOpacity", Array.ConvertAll(colours, c => c.W), (text, w) => text.Write(UsdLines.Number(w)), "faceVarying");
        }
        if (used is [>= 0] && used[0] < materials.Count)
        {
            usd.Line($"rel material:binding = <{materials[used[0]]}>");
            return;
        }
        usd.Line("uniform token subsetFamily:materialBind:familyType = \"nonOverlapping\"");
        var names = new UsdNames();
        foreach (int material in used.Where(m => m >= 0 && m < materials.Count))
        {
            usd.Open("def GeomSubset", names.Give(document.Materials[material].Source.Name), "prepend apiSchemas = [\"MaterialBindingAPI\"]");
            usd.Line("uniform token elementType = \"face\"");
            usd.Line("uniform token familyName = \"materialBind\"");
            usd.List("int[] indices", [.. Enumerable.Range(0, mesh.TriangleCount).Where(t => mesh.TriangleMaterials[t] == material)], UsdLines.Write);
            usd.Line($"rel material:binding = <{materials[material]}>");
            usd.Close();
        }
    }

    /// <summary>What a UV set is called.</summary>
    internal static string UvName(int set) => set == 0 ? "st" : string.Create(System.Globalization.CultureInfo.InvariantCulture, $"st{set}");
}
