using System.Numerics;

namespace Crumpet.Core.Imaging;

/// <summary>A block as one mode says it, before it is written.</summary>
internal sealed class Bc7Block
{
    public int Mode, Partition, Rotation, Selection;
    public float Error;
    public readonly Vector4[] Codes = new Vector4[6];
    public readonly int[] Parity = new int[6];
    public readonly byte[] Indices = new byte[16];
    public readonly byte[] ScalarIndices = new byte[16];

    public void CopyFrom(Bc7Block other)
    {
        (Mode, Partition, Rotation, Selection, Error) = (other.Mode, other.Partition, other.Rotation, other.Selection, other.Error);
        other.Codes.CopyTo(Codes, 0);
        other.Parity.CopyTo(Parity, 0);
        other.Indices.CopyTo(Indices, 0);
        other.ScalarIndices.CopyTo(ScalarIndices, 0);
    }

    public void Write(Span<byte> block)
    {
        var mode = Bc7Tables.Modes[Mode];
        int vectorBits = Selection == 1 ? mode.SecondIndexBits : mode.IndexBits;
        for (int subset = 0; subset < mode.Subsets; subset++)
            FreeAnchor(mode, subset, vectorBits);
        if (mode.SecondIndexBits > 0)
            FreeScalarAnchor(Selection == 1 ? mode.IndexBits : mode.SecondIndexBits);
        var bits = new BlockBits();
        bits.Put(1 << Mode, Mode + 1);
        bits.Put(Partition, mode.PartitionBits);
        bits.Put(Rotation, mode.RotationBits);
        bits.Put(Selection, mode.IndexSelectionBits);
        for (int c = 0; c < 4; c++)
            for (int end = 0; end < 2 * mode.Subsets; end++)
                bits.Put((int)Codes[end][c], c < 3 ? mode.ColourBits : mode.AlphaBits);
        if (mode.HasParity)
            for (int end = 0; end < 2 * mode.Subsets; end += mode.OwnParity ? 1 : 2)
                bits.Put(Parity[end], 1);
        PutIndices(ref bits, mode.Subsets, Selection == 1 ? ScalarIndices : Indices, mode.IndexBits);
        if (mode.SecondIndexBits > 0)
            PutIndices(ref bits, 1, Selection == 1 ? Indices : ScalarIndices, mode.SecondIndexBits);
        bits.CopyTo(block);
    }

    private void PutIndices(ref BlockBits bits, int subsets, byte[] indices, int width)
    {
        for (int i = 0; i < 16; i++)
            bits.Put(indices[i], i == Bc7Tables.Anchor(subsets, Partition, Bc7Tables.Subset(subsets, Partition, i)) ? width - 1 : width);
    }

    // The anchor's highest index bit is not stored: turn the line round where it is set.
    private void FreeAnchor(Bc7Mode mode, int subset, int width)
    {
        int largest = (1 << width) - 1;
        if (Indices[Bc7Tables.Anchor(mode.Subsets, Partition, subset)] <= largest / 2)
            return;
        for (int i = 0; i < 16; i++)
            if (Bc7Tables.Subset(mode.Subsets, Partition, i) == subset)
                Indices[i] = (byte)(largest - Indices[i]);
        int a = 2 * subset, b = a + 1;
        (Parity[a], Parity[b]) = (Parity[b], Parity[a]);
        float alphaA = Codes[a].W, alphaB = Codes[b].W;
        (Codes[a], Codes[b]) = (Codes[b], Codes[a]);
        if (mode.SecondIndexBits > 0)
            (Codes[a].W, Codes[b].W) = (alphaA, alphaB);
    }

    private void FreeScalarAnchor(int width)
    {
        int largest = (1 << width) - 1;
        if (ScalarIndices[0] <= largest / 2)
            return;
        for (int i = 0; i < 16; i++)
            ScalarIndices[i] = (byte)(largest - ScalarIndices[i]);
        (Codes[0].W, Codes[1].W) = (Codes[1].W, Codes[0].W);
    }
}

/// <summary>128 bits, put in from the lowest on.</summary>
internal struct BlockBits
{
    private UInt128 bits;
    private int at;

    public void Put(int value, int count)
    {
        bits |= (UInt128)(uint)value << at;
        at += count;
    }

    public readonly void CopyTo(Span<byte> block)
    {
        for (int i = 0; i < 16; i++)
            block[i] = (byte)(bits >> (8 * i));
    }
}
