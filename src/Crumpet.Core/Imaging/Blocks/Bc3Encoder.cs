using System.Numerics;
using F = System.Runtime.Intrinsics.Vector512<float>;

namespace Crumpet.Core.Imaging.Blocks;

/// <summary>BC3: alpha as BC4 holds a channel, then colours as BC1 holds them, four always.</summary>
internal sealed class Bc3Encoder(EncodeSettings settings) : BlockEncoder
{
    private readonly Bc4Encoder alpha = new([3], signed: false, settings.Effort);
    private readonly Bc1Encoder colour = new(Bc1Use.FourOnly, settings.Effort, new Vector3(settings.Weights.X, settings.Weights.Y, settings.Weights.Z));

    /// <inheritdoc/>
    public override void Encode(ReadOnlySpan<F> texels, Span<byte> blocks)
    {
        alpha.Encode(texels.Slice(48, 16), blocks, 16);
        colour.Encode(texels, blocks[8..], 16);
    }
}
