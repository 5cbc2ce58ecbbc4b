using System.Text.Json;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Targets;

namespace Crumpet.Core.Deliver;

/// <summary>Writes what a delivery's textures and materials are, for scripts that take them into an engine.</summary>
internal static class DeliverySettings
{
    private const int Version = 1;

    private sealed record Settings(int Version, string Asset, IReadOnlyList<MaterialSettings> Materials, IReadOnlyList<TextureSettings> Textures);

    private sealed record MaterialSettings(string Name, double[] BaseColour, double Roughness, double Metalness, MaterialTraits Surface,
        IReadOnlyList<FillSettings> Textures);

    private sealed record FillSettings(MaterialSlot Slot, string File, PictureChannel Channel);

    private sealed record TextureSettings(string File, ColourMeaning Meaning, GreenDirection? Green, bool Repeats, bool HasMips);

    /// <summary>The bytes of the file.</summary>
    public static byte[] Write(DeliveryInput input)
    {
        var target = input.Target;
        var settings = new Settings(Version, input.Asset,
            [.. input.Materials.Select(m => new MaterialSettings(m.Source.Name, Numbers(m.Source.BaseColour), m.Source.Roughness, m.Source.Metalness,
                m.Source.Traits, [.. m.Fills.Select(f => new FillSettings(f.Slot, PathOf(f.File), f.Channel))]))],
            [.. input.Textures.Select(t => new TextureSettings(PathOf(t.FileName), t.Meaning, t.Meaning == ColourMeaning.Normal ? target.Green : null, true,
                target.Made.Container is not null))]);
        return [.. JsonSerializer.SerializeToUtf8Bytes(settings, DeliveryPackage.ManifestJson), (byte)'\n'];

        // What lies inside meshes alone has a name there and no path.
        string PathOf(string file) => target.Textures is null ? Path.GetFileNameWithoutExtension(file) : target.TexturePath(file);
    }

    private static double[] Numbers(System.Numerics.Vector4 colour) => [colour.X, colour.Y, colour.Z, colour.W];
}
