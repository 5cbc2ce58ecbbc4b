using System.Runtime.InteropServices;

namespace Crumpet.Core.Tracing;

/// <summary>
/// An inner node: the boxes of up to eight children side by side, and where each child is.
/// A child of 0 or more is a node, a negative one is the complement of a leaf's index. Unused places hold an empty box.
/// </summary>
[StructLayout(LayoutKind.Sequential, Size = 256)]
internal unsafe struct BvhNode
{
    public const int Width = 8;

    /// <summary>Eight floats each: min x, max x, min y, max y, min z, max z.</summary>
    public fixed float Boxes[48];

    /// <summary>Child references.</summary>
    public fixed int Children[8];
}

/// <summary>A leaf: up to eight triangles side by side. Unused places hold a triangle no ray can meet.</summary>
[StructLayout(LayoutKind.Sequential, Size = 320)]
internal unsafe struct BvhLeaf
{
    public const int Width = 8;

    /// <summary>Eight floats each: first corner x, y, z, second corner x, y, z, third corner x, y, z.</summary>
    public fixed float Corners[72];

    /// <summary>Index of each triangle, -1 for an unused place.</summary>
    public fixed int Triangles[8];
}
