using System.Globalization;
using System.Net;
using Crumpet.Storage;

namespace Crumpet.Web.Hosting;

/// <summary>What the person who starts Crumpet can choose.</summary>
public sealed record AppOptions
{
    /// <summary>Largest upload, bytes.</summary>
    public const long LargestUpload = 4L << 30;

    /// <summary>Most files of one upload.</summary>
    public const int MostFiles = 20_000;

    /// <summary>Where Crumpet opens unless told otherwise: reachable from this machine alone.</summary>
    public const string DefaultUrl = "http://127.0.0.1:5187";

    private static readonly string[] Switches = ["--no-resume", "--open-to-network"];

    /// <summary>Where everything is kept.</summary>
    public required string DataFolder { get; init; }

    /// <summary>Whether a new database starts with the demo kit.</summary>
    public bool WithDemo { get; init; } = true;

    /// <summary>Whether the demo kit is a coarse one.</summary>
    public bool IsDemoCoarse { get; init; }

    /// <summary>Whether runs that waited or were at work when Crumpet ended are taken up again.</summary>
    public bool Resumes { get; init; } = true;

    /// <summary>Whether other machines may reach it.</summary>
    public bool IsOpenToNetwork { get; init; }

    /// <summary>Names it goes by beside those of its addresses.</summary>
    public IReadOnlyList<string> AllowedHosts { get; init; } = [];

    /// <summary>Room that all that is kept may take before results nobody used for long go, bytes.</summary>
    public long LimitBytes { get; init; } = StoreRoom.DefaultLimitBytes;

    /// <summary>Addresses it opens on.</summary>
    public IReadOnlyList<string> Urls { get; init; } = [DefaultUrl];

    /// <summary>
    /// Reads <c>--data DIR</c>, <c>--demo false</c> or <c>coarse</c>, <c>--urls URL</c>, <c>--allowed-hosts NAME,NAME</c>,
    /// <c>--open-to-network</c>, <c>--room GIB</c> and <c>--no-resume</c>.
    /// </summary>
    public static AppOptions From(IConfiguration configuration)
    {
        string folder = configuration["data"]
            ?? Path.Combine(Environment.GetFolderPath(Environment.SpecialFolder.LocalApplicationData, Environment.SpecialFolderOption.Create), "crumpet");
        var endpoints = configuration.GetSection("Kestrel:Endpoints").GetChildren().Select(e => e["Url"]).OfType<string>();
        string[] urls = [.. Parts(configuration["urls"], ';').Concat(endpoints)];
        return new AppOptions
        {
            DataFolder = Path.GetFullPath(folder),
            WithDemo = configuration["demo"] != "false",
            IsDemoCoarse = configuration["demo"] == "coarse",
            Resumes = configuration["no-resume"] is null or "false",
            IsOpenToNetwork = configuration["open-to-network"] is not (null or "false"),
            AllowedHosts = [.. Parts(configuration["allowed-hosts"], ',')],
            LimitBytes = double.TryParse(configuration["room"], CultureInfo.InvariantCulture, out double gibibytes) && gibibytes is >= 0.1 and <= 1e6
                ? (long)(gibibytes * (1L << 30)) : StoreRoom.DefaultLimitBytes,
            Urls = urls.Length > 0 ? urls : [DefaultUrl],
        };
    }

    /// <summary>Arguments as the host reads them: a switch without a value must not take the next argument for one.</summary>
    public static string[] Spelt(string[] args) => Array.ConvertAll(args, a => Switches.Contains(a) ? $"{a}=true" : a);

    /// <summary>The first address that other machines can reach, or null.</summary>
    public string? OpenUrl => Urls.FirstOrDefault(url => !IsLoopback(BindingAddress.Parse(url)));

    private static bool IsLoopback(BindingAddress address) => address.IsUnixPipe
        || address.Host.Equals("localhost", StringComparison.OrdinalIgnoreCase)
        || (IPAddress.TryParse(address.Host.Trim('[', ']'), out var number) && IPAddress.IsLoopback(number));

    private static string[] Parts(string? list, char separator) =>
        (list ?? "").Split(separator, StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries);
}
