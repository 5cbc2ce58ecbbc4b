using System.Globalization;
using System.Numerics;
using System.Text;

namespace Crumpet.Core.Geometry;

/// <summary>Writes a layer of Universal Scene Description as text. Numbers round-trip.</summary>
internal sealed class UsdLines(Stream stream) : IDisposable
{
    private readonly StreamWriter text = new(stream, new UTF8Encoding(false), 1 << 16, leaveOpen: true) { NewLine = "\n" };
    private int depth;

    /// <summary>Writes one line.</summary>
    public void Line(string line)
    {
        for (int i = 0; i < depth; i++)
            text.Write("    ");
        text.Write(line);
        text.Write('\n');
    }

    /// <summary>Opens a prim.</summary>
    /// <param name="kind">Specifier and type, such as <c>def Mesh</c>.</param>
    /// <param name="name">Its name.</param>
    /// <param name="metadata">What stands in its parentheses.</param>
    public void Open(string kind, string name, params IEnumerable<string> metadata)
    {
        string[] said = [.. metadata];
        Line($"{kind} \"{name}\"{(said.Length > 0 ? " (" : "")}");
        if (said.Length > 0)
        {
            depth++;
            foreach (string line in said)
                Line(line);
            depth--;
            Line(")");
        }
        Line("{");
        depth++;
    }

    /// <summary>Closes the last prim.</summary>
    public void Close()
    {
        depth--;
        Line("}");
    }

    /// <summary>Writes an attribute that holds a list.</summary>
    /// <param name="declaration">Type and name.</param>
    /// <param name="values">The list.</param>
    /// <param name="write">Writes one value.</param>
    /// <param name="interpolation">What each value is for; empty where the type says it.</param>
    public void List<T>(string declaration, IReadOnlyList<T> values, Action<StreamWriter, T> write, string interpolation = "")
    {
        for (int i = 0; i < depth; i++)
            text.Write("    ");
        text.Write(declaration);
        text.Write(" = [");
        for (int i = 0; i < values.Count; i++)
        {
            if (i > 0)
                text.Write(", ");
            write(text, values[i]);
        }
        text.Write(interpolation.Length > 0 ? "] (\n" : "]\n");
        if (interpolation.Length == 0)
            return;
        // On lines of its own, as readers that go line by line expect it.
        depth++;
        Line($"interpolation = \"{interpolation}\"");
        depth--;
        Line(")");
    }

    /// <summary>Writes a whole number.</summary>
    public static void Write(StreamWriter text, int value) => text.Write(value.ToString(CultureInfo.InvariantCulture));

    /// <summary>Writes a pair.</summary>
    public static void Write(StreamWriter text, Vector2 v) => text.Write($"({Number(v.X)}, {Number(v.Y)})");

    /// <summary>Writes three numbers.</summary>
    public static void Write(StreamWriter text, Vector3 v) => text.Write($"({Number(v.X)}, {Number(v.Y)}, {Number(v.Z)})");

    /// <summary>Writes four numbers.</summary>
    public static void Write(StreamWriter text, Vector4 v) => text.Write($"({Number(v.X)}, {Number(v.Y)}, {Number(v.Z)}, {Number(v.W)})");

    /// <summary>A number.</summary>
    public static string Number(float value) => value.ToString("R", CultureInfo.InvariantCulture);

    /// <summary>A number.</summary>
    public static string Number(double value) => ((float)value).ToString("R", CultureInfo.InvariantCulture);

    /// <summary>A text in quotes.</summary>
    public static string Quoted(string value) =>
        $"\"{value.Replace("\\", "\\\\", StringComparison.Ordinal).Replace("\"", "\\\"", StringComparison.Ordinal).ReplaceLineEndings(" ")}\"";

    /// <summary>Three numbers.</summary>
    public static string Colour(Tint tint) => $"({Number(tint.R)}, {Number(tint.G)}, {Number(tint.B)})";

    /// <summary>A transform; rows are axes.</summary>
    public static string Matrix(Matrix4x4 m) =>
        $"({string.Join(", ", Enumerable.Range(0, 4).Select(r => $"({string.Join(", ", Enumerable.Range(0, 4).Select(c => Number(m[r, c])))})"))})";

    /// <inheritdoc/>
    public void Dispose() => text.Dispose();
}
