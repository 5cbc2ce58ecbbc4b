using System.Buffers.Binary;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Intake;
using Xunit;

namespace Crumpet.Core.Tests.Geometry;

/// <summary>Layers in the binary form: that they say what their text says, and what is said of broken ones.</summary>
public sealed class UsdCrateTests
{
    private static byte[] Fixture(string name) => File.ReadAllBytes(Path.Combine(ArchitectureTests.Root, "tests/Crumpet.Core.Tests/Fixtures", name));

    private static Scene Read(byte[] bytes) => UsdReader.Read(bytes, "in/scene.usdc", _ => null);

    [Fact]
    public void Both_forms_of_a_scene_are_the_same_scene()
    {
        Scene text = Read(Fixture("scene.usda")), crate = Read(Fixture("scene.usdc"));
        Assert.Equal(["tube_low", "tube_high", "plate_high", "plate_low", "bolt_low"], crate.Meshes.Select(m => m.Name));
        Assert.Equal(SceneFile.Write(text), SceneFile.Write(crate));
        // The reader of text is tested by itself; what it makes of the scene is told here by the numbers that are written in it.
        var tube = crate.Meshes[0];
        Assert.Equal((40, 40, 20), (tube.Positions.Length, tube.TriangleCount, tube.PolygonCount));
        Assert.Equal(19 / 32f, tube.UvSets[0].Max(u => u.X) - 1 / 32f, 1e-6f);
        var brass = crate.Materials[tube.TriangleMaterials[0]];
        Assert.Equal(("brass", 0.3f, 1f), (brass.Name, brass.Roughness, brass.Metalness));
        Assert.Equal("brass_normal.png", Assert.Single(brass.Textures).Path);
    }

    [Fact]
    public void A_layer_that_is_cut_or_of_another_version_is_refused_by_name()
    {
        byte[] whole = Fixture("scene.usdc");
        for (int length = 8; length < whole.Length; length += 61)
        {
            var refused = Assert.Throws<SourceFileException>(() => Read(whole[..length]));
            Assert.StartsWith("in/scene.usdc", refused.Message, StringComparison.Ordinal);
        }
        byte[] newer = [.. whole];
        newer[9] = 99;
        Assert.Contains("version 0.99", Assert.Throws<SourceFileException>(() => Read(newer)).Message, StringComparison.Ordinal);
    }

    [Fact]
    public void Damage_is_refused_or_read_and_never_more_than_that()
    {
        byte[] whole = Fixture("scene.usdc");
        var random = new Random(7);
        int refused = 0;
        for (int trial = 0; trial < 4000; trial++)
        {
            byte[] broken = [.. whole];
            for (int hits = random.Next(1, 4); hits > 0; hits--)
            {
                int at = random.Next(9, broken.Length - 8);
                if (random.Next(2) == 0)
                    broken[at] = (byte)random.Next(256);
                else
                    BinaryPrimitives.WriteInt64LittleEndian(broken.AsSpan(at), random.Next(3) switch { 0 => -1, 1 => long.MaxValue, _ => random.Next() });
            }
            try
            {
                Read(broken);
            }
            catch (SourceFileException)
            {
                refused++;
            }
        }
        Assert.InRange(refused, 1000, 3999);
    }
}
