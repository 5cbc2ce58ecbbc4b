using Crumpet.Core.Bake;
using Crumpet.Core.Imaging;
using Crumpet.Core.Targets;

namespace Crumpet.Core.Pack;

/// <summary>What a recipe's textures take, against a picture for each map.</summary>
/// <param name="Bytes">Memory of all textures of a sheet with their mips.</param>
/// <param name="BytesApart">The same with a texture for each map that feeds them.</param>
/// <param name="Used">Channels that are fed by a map.</param>
/// <param name="There">Channels the textures keep.</param>
public sealed record RecipeCost(long Bytes, long BytesApart, int Used, int There)
{
    /// <summary>What a recipe comes to.</summary>
    /// <param name="recipe">The recipe.</param>
    /// <param name="target">What the engine takes.</param>
    /// <param name="width">Width of the sheet, pixels.</param>
    /// <param name="height">Its height.</param>
    public static RecipeCost Of(Recipe recipe, Target target, int width, int height)
    {
        RecipeOutput[] made = [.. recipe.Made()];
        string[] maps = [.. made.SelectMany(o => o.Maps()).Distinct(StringComparer.Ordinal)];
        var apart = maps.Select(m => BakeMaps.Find(m)).Select(m => m is null || m.Channels == 1 ? TextureFormat.Bc4
            : m.Meaning == ColourMeaning.Normal ? TextureFormat.Bc5 : TextureFormat.Bc7);
        return new RecipeCost(made.Sum(o => Chain(o.StoredAs(target), OutputSize.Of(o.Size)!.Value.For(width, height))),
            apart.Sum(f => f.ChainBytes(width, height)),
            made.Sum(o => o.Channels.Count(c => c.From.Count > 0)), made.Sum(o => Math.Max(o.Channels.Count, o.StoredAs(target).Channels)));
    }

    private static long Chain(TextureFormat format, (int Width, int Height) size) => format.ChainBytes(size.Width, size.Height);
}
