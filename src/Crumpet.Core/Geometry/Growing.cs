using System.Runtime.CompilerServices;

namespace Crumpet.Core.Geometry;

/// <summary>A growing array of plain numbers.</summary>
/// <param name="first">How many there is room for after the first one came.</param>
internal struct Growing<T>(int first)
    where T : unmanaged
{
    public T[] Items = [];
    public int Count = 0;

    public readonly ReadOnlySpan<T> Span => Items.AsSpan(0, Count);

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    public void Add(T value)
    {
        if (Count == Items.Length)
            Grow();
        Items[Count++] = value;
    }

    private void Grow()
    {
        var larger = GC.AllocateUninitializedArray<T>(Math.Max(first, 2 * Items.Length));
        Items.AsSpan(0, Count).CopyTo(larger);
        Items = larger;
    }
}
