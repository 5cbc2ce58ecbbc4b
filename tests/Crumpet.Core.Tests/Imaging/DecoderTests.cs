using Crumpet.Core.Imaging;
using Crumpet.Core.Imaging.Blocks;
using Xunit;

namespace Crumpet.Core.Tests.Imaging;

public sealed class DecoderTests
{
    private const int Rounds = 20_000;

    [Fact]
    public void Any_bytes_are_read_as_the_standard_has_them_in_every_mode_of_bc7()
    {
        byte[] block = new byte[16], fast = new byte[64], slow = new byte[64];
        for (int round = 0; round < Rounds; round++)
        {
            Fill(block, (uint)round);
            // Each mode as often as the others, and the block that has none.
            int mode = round % 9;
            block[0] = mode == 8 ? (byte)0 : (byte)((block[0] & ~((1 << mode) - 1)) | 1 << mode);
            Bc7Decoder.Decode(block, fast);
            SlowDecoders.Bc7(block, slow);
            Assert.True(fast.AsSpan().SequenceEqual(slow), $"mode {mode}, {System.Convert.ToHexString(block)}");
        }
    }

    [Fact]
    public void Any_bytes_are_read_as_the_standard_has_them_in_bc1_bc3_bc4_and_bc5()
    {
        byte[] block = new byte[16], fast = new byte[64], slow = new byte[64], values = new byte[16], more = new byte[16];
        for (int round = 0; round < Rounds; round++)
        {
            Fill(block, 77_000 + (uint)round);
            if (round % 5 == 0)
                block.AsSpan(2, 2).CopyTo(block);
            Bc1Decoder.Decode(block, fast);
            SlowDecoders.Bc1(block, slow);
            Assert.Equal(slow, fast);
            Bc1Decoder.DecodeWithAlpha(block, fast);
            SlowDecoders.Bc1(block.AsSpan(8), slow, fourOnly: true);
            SlowDecoders.Bc4(block, values);
            SlowDecoders.Bc4(block.AsSpan(8), more);
            Assert.Equal(Enumerable.Range(0, 64).Select(i => i % 4 == 3 ? values[i / 4] : slow[i]), fast);
            Bc4Decoder.DecodeChannels(block, fast, 1);
            Assert.Equal(Enumerable.Range(0, 64).Select(i => (i % 4) switch { 0 => values[i / 4], 3 => (byte)255, _ => (byte)0 }), fast);
            Bc4Decoder.DecodeChannels(block, fast, 2);
            Assert.Equal(Enumerable.Range(0, 64).Select(i => (i % 4) switch { 0 => values[i / 4], 1 => more[i / 4], 3 => (byte)255, _ => (byte)0 }), fast);
        }
    }

    [Fact]
    public void What_is_too_short_is_refused_before_anything_is_read()
    {
        Assert.ThrowsAny<ArgumentException>(() => Bc7Decoder.Decode(new byte[15], new byte[64]));
        Assert.ThrowsAny<ArgumentException>(() => Bc7Decoder.Decode([.. Enumerable.Repeat((byte)1, 16)], new byte[63]));
        Assert.ThrowsAny<ArgumentException>(() => Bc1Decoder.Decode(new byte[7], new byte[64]));
        Assert.ThrowsAny<ArgumentException>(() => Bc1Decoder.Decode(new byte[8], new byte[63]));
        Assert.ThrowsAny<ArgumentException>(() => Bc4Decoder.DecodeChannels(new byte[8], new byte[63], 1));
    }

    private static void Fill(byte[] block, uint seed)
    {
        for (int i = 0; i < block.Length; i++)
        {
            uint h = (seed * 16 + (uint)i) * 2654435761;
            h = (h ^ h >> 15) * 2246822519;
            block[i] = (byte)(h >> 13 ^ h >> 24);
        }
    }
}
