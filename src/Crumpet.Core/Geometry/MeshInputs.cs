using Crumpet.Core.Jobs;

namespace Crumpet.Core.Geometry;

/// <summary>Meshes among a job's inputs.</summary>
internal static class MeshInputs
{
    /// <summary>A shape, decoded once for all jobs that take it.</summary>
    public static Mesh Shape(this JobInputs inputs, string role) => inputs.Value(role, MeshPieces.ReadShape);

    /// <summary>The shapes of a list.</summary>
    public static Mesh[] Shapes(this JobInputs inputs, string list) => [.. inputs.List(list).Select(inputs.Shape)];

    /// <summary>A shape with what is spread over it.</summary>
    public static Mesh Mesh(this JobInputs inputs, string shape, string spread) => inputs.Shape(shape).WithSpread(inputs.Bytes(spread));

    /// <summary>Bytes of all inputs.</summary>
    public static double Megabytes(this IReadOnlyList<StoredFile> inputs)
    {
        long sum = 0;
        foreach (var input in inputs)
            sum += input.Bytes;
        return sum / 1e6;
    }
}
