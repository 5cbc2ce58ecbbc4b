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
        var recipe = KitJson.Read<Recipe>(KitJson.Checked(text, fileName), fileName);
        return recipe.Problem() is { } problem ? throw new SourceFileException(fileName, "", problem.TrimEnd('.'), "Correct the recipe") : recipe;
    }
}
