using System.Text.Json;
using System.Text.Json.Nodes;
using Crumpet.Core.Pack;

namespace Crumpet.Core.Building;

/// <summary>Recipes as files.</summary>
public static class RecipeFile
{
    /// <summary>Reads a recipe.</summary>
    /// <param name="text">Its bytes.</param>
    /// <param name="fileName">Name for messages.</param>
    /// <exception cref="SourceFileException">It is no JSON, has a key that is not known, or says what cannot be.</exception>
    public static Recipe Read(byte[] text, string fileName)
    {
        byte[] whole = KitJson.Checked(text, fileName);
        if (KitJson.Parse(whole) is JsonObject document && document.ToJsonString() is var before)
        {
            PlanUpgrade.UpgradeRecipe(document);
            // What is this version's is read as it stands, so that errors name its lines.
            if (document.ToJsonString() != before)
                whole = JsonSerializer.SerializeToUtf8Bytes(document, BuildJson.Indented);
        }
        var recipe = KitJson.Read<Recipe>(whole, fileName);
        return recipe.Problem() is { } problem ? throw new SourceFileException(fileName, "", problem.TrimEnd('.'), "Correct the recipe") : recipe;
    }

    /// <summary>The bytes of a recipe's file.</summary>
    public static byte[] Write(Recipe recipe) => [.. JsonSerializer.SerializeToUtf8Bytes(recipe, BuildJson.Indented), (byte)'\n'];
}
