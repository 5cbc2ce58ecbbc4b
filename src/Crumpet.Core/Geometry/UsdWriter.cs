using System.Numerics;

namespace Crumpet.Core.Geometry;

/// <summary>
/// Writes a scene as text of Universal Scene Description with preview surfaces. Shapes that stand several times are written once, into a layer
/// of their own that is referred to.
/// </summary>
/// <remarks>Source: the published schemas UsdGeom, UsdShade and UsdPreviewSurface.</remarks>
public static class UsdWriter
{
    private const string Applied = "prepend apiSchemas = [\"MaterialBindingAPI\"]";

    /// <summary>Writes the layers of a scene.</summary>
    /// <param name="document">What to write; its space is right-handed.</param>
    /// <param name="name">Name of the prim that holds all, and of the first layer without its ending.</param>
    /// <returns>The layer that is opened, and one with the shapes that stand several times where there are such; UTF-8 text, LF line endings.</returns>
    public static IReadOnlyList<WrittenFile> Write(SceneDocument document, string name)
    {
        var tree = SceneTree.Of(document);
        string layer = $"{name}_shapes.usda";
        var shared = SharedShapes(tree);
        using var first = new MemoryStream();
        using (var usd = new UsdLines(first))
            new Layer(usd, document, tree, shared, layer).Write(name);
        if (shared.Count == 0)
            return [new($"{name}.usda", first.ToArray())];
        using var second = new MemoryStream();
        using (var usd = new UsdLines(second))
            WriteShared(usd, document, tree, shared);
        return [new($"{name}.usda", first.ToArray()), new(layer, second.ToArray())];
    }

    /// <summary>What a UV set is called.</summary>
    internal static string UvName(int set) => set == 0 ? "st" : string.Create(System.Globalization.CultureInfo.InvariantCulture, $"st{set}");

    /// <summary>Names of the prims of shapes that stand several times, by their numbers.</summary>
    private static SortedDictionary<int, string> SharedShapes(SceneTree tree)
    {
        var names = new UsdNames();
        return new(tree.Nodes.Where(n => n.Shape >= 0).GroupBy(n => n.Shape).Where(g => g.Count() > 1).OrderBy(g => g.Key)
            .ToDictionary(g => g.Key, g => names.Give(tree.Shapes[g.Key].Mesh.Name)));
    }

    private static void WriteHead(UsdLines usd, SceneDocument document, string root)
    {
        usd.Line("#usda 1.0");
        usd.Line("(");
        usd.Line($"    defaultPrim = \"{root}\"");
        usd.Line($"    metersPerUnit = {UsdLines.Number(document.Space.UnitMetres)}");
        usd.Line($"    upAxis = \"{document.Space.Up}\"");
        usd.Line(")");
        usd.Line("");
    }

    // A transform of its own around each mesh: where it is referred to, that is the one that is placed.
    private static void WriteShared(UsdLines usd, SceneDocument document, SceneTree tree, SortedDictionary<int, string> shared)
    {
        WriteHead(usd, document, shared.First().Value);
        foreach (var (shape, own) in shared)
        {
            usd.Open("def Xform", own);
            usd.Open("def Mesh", "mesh", Applied);
            WriteShape(usd, tree.Shapes[shape], document);
            WriteSubsets(usd, tree.Shapes[shape], document, "def GeomSubset", (_, indices) =>
            {
                usd.Line("uniform token elementType = \"face\"");
                usd.Line("uniform token familyName = \"materialBind\"");
                usd.List("int[] indices", indices, UsdLines.Write);
            });
            usd.Close();
            usd.Close();
        }
    }

    /// <summary>The layer that is opened.</summary>
    private sealed class Layer(UsdLines usd, SceneDocument document, SceneTree tree, SortedDictionary<int, string> shared, string shapesLayer)
    {
        private readonly ILookup<int, int> below = Enumerable.Range(0, tree.Nodes.Count).ToLookup(n => tree.Nodes[n].Parent);
        private IReadOnlyList<string> materials = [];

        public void Write(string name)
        {
            string root = new UsdNames().Give(name);
            WriteHead(usd, document, root);
            var inside = new UsdNames();
            string scope = inside.Give("materials");
            materials = UsdMaterialWriter.PathsOf(document.Materials, $"/{root}/{scope}");
            usd.Open("def Xform", root, "kind = \"component\"", Shown(name, root));
            UsdMaterialWriter.Write(usd, document, scope, materials);
            WriteNodes(-1, inside);
            usd.Close();
        }

        private void WriteNodes(int parent, UsdNames names)
        {
            foreach (int n in below[parent])
            {
                var node = tree.Nodes[n];
                string own = names.Give(node.Name);
                bool isMesh = node.Shape >= 0, isShared = isMesh && shared.ContainsKey(node.Shape), holds = below[n].Any();
                if (isMesh && !holds)
                    OpenMesh(node, own, isShared);
                else
                    usd.Open("def Xform", own, Shown(node.Name, own));
                if (!node.Local.IsIdentity)
                {
                    usd.Line($"matrix4d xformOp:transform = {UsdLines.Matrix(node.Local)}");
                    usd.Line("uniform token[] xformOpOrder = [\"xformOp:transform\"]");
                }
                if (isMesh && !holds)
                    WriteMesh(node.Shape, isShared);
                var inner = new UsdNames();
                if (isMesh && holds)
                {
                    // A mesh that has others below it stands among them, or it could not be moved with them.
                    OpenMesh(node, inner.Give(node.Name), isShared);
                    WriteMesh(node.Shape, isShared);
                    usd.Close();
                }
                WriteNodes(n, inner);
                usd.Close();
            }
        }

        private void OpenMesh(SceneNode node, string own, bool isShared)
        {
            if (isShared)
                usd.Open("def Xform", own, Shown(node.Name, own), Applied, $"prepend references = @./{shapesLayer}@</{shared[node.Shape]}>");
            else
                usd.Open("def Mesh", own, Shown(node.Name, own), Applied);
        }

        private void WriteMesh(int number, bool isShared)
        {
            var shape = tree.Shapes[number];
            if (!isShared)
                WriteShape(usd, shape, document);
            if (shape.Mesh.TriangleMaterials.Distinct().ToArray() is [var only])
            {
                if (only >= 0 && only < materials.Count)
                    usd.Line($"rel material:binding = <{materials[only]}>");
                return;
            }
            if (isShared)
                usd.Open("over", "mesh");
            WriteSubsets(usd, shape, document, isShared ? "over" : "def GeomSubset", (material, indices) =>
            {
                if (!isShared)
                {
                    usd.Line("uniform token elementType = \"face\"");
                    usd.Line("uniform token familyName = \"materialBind\"");
                    usd.List("int[] indices", indices, UsdLines.Write);
                }
                usd.Line($"rel material:binding = <{materials[material]}>");
            });
            if (isShared)
                usd.Close();
        }
    }

    /// <summary>Writes what a mesh has for each of its materials, where it has several.</summary>
    private static void WriteSubsets(UsdLines usd, SceneObject item, SceneDocument document, string kind, Action<int, int[]> write)
    {
        int[] own = item.Mesh.TriangleMaterials, used = [.. own.Distinct().Order()];
        if (used.Length == 1)
            return;
        if (kind != "over")
            usd.Line("uniform token subsetFamily:materialBind:familyType = \"nonOverlapping\"");
        var names = new UsdNames();
        foreach (int material in used.Where(m => m >= 0 && m < document.Materials.Count))
        {
            usd.Open(kind, names.Give(document.Materials[material].Source.Name), Applied);
            write(material, [.. Enumerable.Range(0, own.Length).Where(t => own[t] == material)]);
            usd.Close();
        }
    }

    private static string Shown(string name, string own) => $"displayName = {UsdLines.Quoted(name.Length > 0 ? name : own)}";

    private static void WriteShape(UsdLines usd, SceneObject item, SceneDocument document)
    {
        var mesh = item.Mesh;
        var bounds = mesh.Bounds();
        bool isTwoSided = mesh.TriangleMaterials.Distinct().Where(m => m >= 0 && m < document.Materials.Count)
            .Any(m => document.Materials[m].Source.Traits.TwoSided);
        usd.Line($"uniform bool doubleSided = {(isTwoSided ? 1 : 0)}");
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
    }
}
