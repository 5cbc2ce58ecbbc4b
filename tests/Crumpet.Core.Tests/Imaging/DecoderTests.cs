using System.Buffers.Binary;
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
    public void Any_bytes_are_read_as_the_standard_has_them_in_etc2_and_eac()
    {
        byte[] block = new byte[16], fast = new byte[64], slow = new byte[64];
        for (int round = 0; round < Rounds; round++)
        {
            Fill(block, 200_000 + (uint)round);
            EtcDecoder.Decode(block, fast);
            SlowEtc.Decode(block, slow);
            Assert.True(fast.AsSpan().SequenceEqual(slow), System.Convert.ToHexString(block));
            EtcDecoder.DecodeHoles(block, fast);
            SlowEtc.DecodeHoles(block, slow);
            Assert.True(fast.AsSpan().SequenceEqual(slow), $"holes, {System.Convert.ToHexString(block)}");
            EtcDecoder.DecodeAlpha(block, fast);
            SlowEtc.DecodeAlpha(block, slow);
            Assert.True(fast.AsSpan().SequenceEqual(slow), $"alpha, {System.Convert.ToHexString(block)}");
        }
    }

    [Theory]
    [InlineData("eacr")]
    [InlineData("eacrs")]
    [InlineData("eacrg")]
    [InlineData("eacrgs")]
    [InlineData("bc4s")]
    [InlineData("bc5s")]
    public void Channels_of_numbers_are_read_as_the_standard_has_them_and_bytes_are_those_numbers_rounded(string word)
    {
        var format = TextureFormat.Table.Of(word);
        bool signed = format.Range == TexelRange.SignedUnit;
        byte[] block = new byte[format.UnitBytes], bytes = new byte[64];
        float[] fast = new float[64], slow = new float[64];
        for (int round = 0; round < Rounds; round++)
        {
            Fill(block, 300_000 + (uint)round);
            if (round % 5 == 0)
                block[1] = block[0];
            format.DecodeFine!(block, fast);
            if (word.StartsWith("eac", StringComparison.Ordinal))
                SlowEtc.DecodeEleven(block, slow, format.Channels, signed);
            else
                SlowDecoders.Bc4Signed(block, slow, format.Channels);
            Assert.Equal(slow, fast);
            format.Decode!(block, bytes);
            for (int i = 0; i < 64; i++)
            {
                float unit = signed && i % 4 != 3 ? slow[i] * 0.5f + 0.5f : slow[i];
                Assert.Equal((byte)(unit * 255 + 0.5f), bytes[i]);
            }
        }
    }

    [Theory]
    [InlineData(false)]
    [InlineData(true)]
    public void Any_bytes_are_read_as_the_standard_has_them_in_every_mode_of_bc6h(bool isSigned)
    {
        byte[] block = new byte[16];
        float[] fast = new float[64], slow = new float[64];
        for (int round = 0; round < Rounds; round++)
        {
            Fill(block, 400_000 + (uint)round);
            block[0] = (byte)((block[0] & ~31) | round % 32);
            Bc6Decoder.Decode(block, fast, isSigned);
            SlowBc6.Decode(block, slow, isSigned);
            Assert.Equal(slow, fast);
        }
    }

    [Theory]
    [InlineData(4, 4)]
    [InlineData(5, 5)]
    [InlineData(6, 6)]
    [InlineData(8, 8)]
    [InlineData(12, 10)]
    public void Any_bytes_are_read_as_the_standard_has_them_in_astc(int width, int height)
    {
        byte[] block = new byte[16], fast = new byte[4 * width * height], slow = new byte[4 * width * height];
        AstcDecoder ours = new(width, height);
        SlowAstc theirs = new(width, height);
        int read = 0;
        for (int round = 0; round < Rounds; round++)
        {
            Fill(block, 500_000 + (uint)round);
            // Grids that fit into the block, and one part more often than by chance.
            for (int number = BinaryPrimitives.ReadUInt16LittleEndian(block); ; number++)
            {
                if (AstcMode.Of(number & 0x7ff) is not { } mode || mode.Width > width || mode.Height > height)
                    continue;
                BinaryPrimitives.WriteUInt16LittleEndian(block, (ushort)(number & (round % 3 == 0 ? ~0x1800 : ~0)));
                break;
            }
            ours.Decode(block, fast);
            theirs.Decode(block, slow);
            Assert.True(fast.AsSpan().SequenceEqual(slow), System.Convert.ToHexString(block));
            read += fast is [255, 0, 255, 255, ..] ? 0 : 1;
        }
        Assert.True(read > Rounds / 20, $"{read} of {Rounds} blocks said anything");
    }

    [Fact]
    public void Any_bytes_are_read_as_the_standard_has_them_in_every_mode_of_uastc()
    {
        byte[] block = new byte[16], fast = new byte[64], slow = new byte[64];
        for (int round = 0; round < Rounds; round++)
        {
            Fill(block, 600_000 + (uint)round);
            var mode = UastcTables.Modes[round % UastcTables.Modes.Length];
            block[0] = (byte)((block[0] & ~((1 << mode.CodeBits) - 1)) | mode.Code);
            UastcDecoder.Decode(block, fast);
            SlowUastc.Decode(block, slow);
            Assert.True(fast.AsSpan().SequenceEqual(slow), $"mode {mode.Number}, {System.Convert.ToHexString(block)}");
        }
    }

    [Fact]
    public void Bits_are_spread_and_gathered_alike_with_and_without_an_instruction_for_it()
    {
        for (ulong i = 1; i < 2000; i++)
        {
            ulong bits = i * 0x9e3779b97f4a7c15, mask = (i ^ bits >> 7) * 0xc2b2ae3d27d4eb4f;
            ulong spread = BlockReader.SpreadSlowly(bits, mask);
            Assert.Equal(spread, BlockReader.Spread(bits, mask));
            Assert.Equal(0ul, spread & ~mask);
            Assert.Equal(BlockReader.GatherSlowly(bits, mask), BlockReader.Gather(bits, mask));
            int count = System.Numerics.BitOperations.PopCount(mask);
            Assert.Equal(bits & (1UL << count) - 1, BlockReader.GatherSlowly(spread, mask));
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
