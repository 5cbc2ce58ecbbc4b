namespace Crumpet.Web;

/// <summary>What the person who starts Crumpet can choose.</summary>
/// <param name="DataFolder">Where everything is kept.</param>
/// <param name="WithDemo">Whether a new database starts with the demo kit.</param>
public sealed record AppOptions(string DataFolder, bool WithDemo)
{
    /// <summary>Largest upload, bytes.</summary>
    public const long LargestUpload = 4L << 30;

    /// <summary>Most files of one upload.</summary>
    public const int MostFiles = 20_000;

    /// <summary>Where Crumpet opens unless told otherwise: reachable from this machine alone.</summary>
    public const string DefaultUrl = "http://127.0.0.1:5187";

    /// <summary>Reads <c>--data DIR</c> and <c>--demo false</c>.</summary>
    public static AppOptions From(IConfiguration configuration)
    {
        string folder = configuration["data"]
            ?? Path.Combine(Environment.GetFolderPath(Environment.SpecialFolder.LocalApplicationData, Environment.SpecialFolderOption.Create), "crumpet");
        return new AppOptions(Path.GetFullPath(folder), configuration["demo"] != "false");
    }
}

/// <summary>Finds the folder of styles and scripts, both from the sources and beside a published program.</summary>
internal static class WebRoot
{
    public static string Find()
    {
        string published = Path.Combine(AppContext.BaseDirectory, "wwwroot");
        if (Directory.Exists(published))
            return published;
        for (var folder = new DirectoryInfo(AppContext.BaseDirectory); folder is not null; folder = folder.Parent)
        {
            string source = Path.Combine(folder.FullName, "src", "Crumpet.Web", "wwwroot");
            if (Directory.Exists(source))
                return source;
        }
        throw new DirectoryNotFoundException("The folder wwwroot is not beside the program; build or publish Crumpet again.");
    }
}
