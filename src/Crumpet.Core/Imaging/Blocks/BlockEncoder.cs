using F = System.Runtime.Intrinsics.Vector512<float>;

namespace Crumpet.Core.Imaging.Blocks;

/// <summary>Encodes sixteen blocks at a time. One encoder serves one thread; nothing is allocated for a block.</summary>
internal abstract class BlockEncoder
{
    /// <summary>Encodes a run.</summary>
    /// <param name="texels">
    /// Four channels of a block's texels, row by row: number <c>channel · texels + texel</c> holds sixteen blocks. 0 to 255, of high-range formats the values.
    /// </param>
    /// <param name="blocks">Sixteen blocks, one after another.</param>
    public abstract void Encode(ReadOnlySpan<F> texels, Span<byte> blocks);
}
