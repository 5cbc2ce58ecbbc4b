namespace Crumpet.Web.Hosting;

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
