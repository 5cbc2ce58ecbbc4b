using System.Net;
using System.Text;
using System.Text.RegularExpressions;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Mvc.Testing;
using Xunit;

namespace Crumpet.Web.Tests;

/// <summary>Starts the application with a data folder of its own and uses it over HTTP, in process.</summary>
public abstract partial class WebAppTests : IDisposable
{
    protected const string Low = "o crate_low\nv -0.5 0 0.5\nv 0.5 0 0.5\nv 0.5 0 -0.5\nv -0.5 0 -0.5\nvt 0.1 0.1\nvt 0.9 0.1\nvt 0.9 0.9\nvt 0.1 0.9\nvn 0 "
        + "1 0\nf 1/1/1 2/2/1 3/3/1 4/4/1\n";

    protected static readonly Dictionary<string, string> SmallBake = new()
    {
        ["size"] = "64",
        ["samples"] = "1",
        ["outward"] = "10",
        ["inward"] = "10",
        ["rays"] = "1",
        ["occluders"] = "Tray",
        ["padding"] = "2",
        ["bits"] = "8",
        ["green"] = "Up",
        ["maps"] = "Normal"
    };

    private readonly Lazy<string> folder = new(() => Directory.CreateTempSubdirectory("crumpet").FullName);
    private readonly SemaphoreSlim kitInTurn = new(1, 1);
    private string? kit;

    /// <summary>Where an application of the test's own keeps its data.</summary>
    protected string DataFolder => folder.Value;

    /// <summary>Address of the test's kit; made when files are first dropped, where none was named.</summary>
    protected string Kit
    {
        get => kit ?? throw new InvalidOperationException("There is no kit yet.");
        set => kit = value;
    }

    public void Dispose()
    {
        if (folder.IsValueCreated)
            Directory.Delete(folder.Value, recursive: true);
        kitInTurn.Dispose();
        GC.SuppressFinalize(this);
    }

    protected static string High => Low.Replace("_low", "_high", StringComparison.Ordinal);

    /// <summary>Starts an application of the test's own.</summary>
    protected WebApplicationFactory<Program> Start() => Start(DataFolder);

    internal static WebApplicationFactory<Program> Start(string folder) =>
        new WebApplicationFactory<Program>().WithWebHostBuilder(host => host.UseSetting("data", folder).UseSetting("demo", "false"));

    /// <summary>Makes an asset of files in the test's kit. @returns its address</summary>
    protected Task<string> DropAsync(HttpClient client, params (string Name, string Text)[] files) => DropAsync(client, [], files);

    /// <summary>Makes an asset of files in the test's kit, of which some settings are told. @returns its address</summary>
    protected async Task<string> DropAsync(HttpClient client, Dictionary<string, string> settings, params (string Name, string Text)[] files)
    {
        await kitInTurn.WaitAsync();
        try
        {
            kit ??= await MakeKitAsync(client);
        }
        finally
        {
            kitInTurn.Release();
        }
        if (settings.Count > 0)
            Assert.DoesNotContain("class=\"problem\"", await PostAsync(client, kit, "Settings", settings), StringComparison.Ordinal);
        string token = TokenOf(await client.GetStringAsync(kit));
        using var form = new MultipartFormDataContent { { new StringContent(token), "__RequestVerificationToken" } };
        foreach (var (name, text) in files)
            form.Add(new ByteArrayContent(Encoding.Latin1.GetBytes(text)), "files", name);
        var answer = await client.PostAsync($"{kit}?handler=Add", form);
        string path = answer.RequestMessage!.RequestUri!.AbsolutePath;
        Assert.EndsWith("/intake", path, StringComparison.Ordinal);
        return path[..^"/intake".Length];
    }

    private static async Task<string> MakeKitAsync(HttpClient client)
    {
        using var form = new FormUrlEncodedContent(
            new Dictionary<string, string> { ["name"] = "Test kit", ["__RequestVerificationToken"] = TokenOf(await client.GetStringAsync("/kits")) });
        return (await client.PostAsync("/kits?handler=Make", form)).RequestMessage!.RequestUri!.AbsolutePath;
    }

    /// <summary>Adds files to an asset as a page without scripts does.</summary>
    protected static async Task<string> AddAsync(HttpClient client, string asset, params (string Name, byte[] Bytes)[] files)
    {
        string token = TokenOf(await client.GetStringAsync($"{asset}/intake"));
        using var form = new MultipartFormDataContent { { new StringContent(token), "__RequestVerificationToken" } };
        foreach (var (name, bytes) in files)
            form.Add(new ByteArrayContent(bytes), "files", name);
        var answer = await client.PostAsync($"{asset}/intake?handler=Add", form);
        Assert.Contains(answer.StatusCode, (HttpStatusCode[])[HttpStatusCode.OK, HttpStatusCode.UnprocessableEntity]);
        return WebUtility.HtmlDecode(await answer.Content.ReadAsStringAsync());
    }

    protected static async Task<string> PostAsync(HttpClient client, string path, string? handler, Dictionary<string, string> fields)
    {
        fields["__RequestVerificationToken"] = TokenOf(await client.GetStringAsync(path));
        using var content = new FormUrlEncodedContent(fields);
        var answer = await client.PostAsync(handler is null ? path : $"{path}{(path.Contains('?', StringComparison.Ordinal) ? '&' : '?')}handler={handler}",
            content);
        string page = WebUtility.HtmlDecode(await answer.Content.ReadAsStringAsync());
        // A page that shows what is wrong says so with its status too.
        Assert.Equal(page.Contains("class=\"problem\"", StringComparison.Ordinal) ? HttpStatusCode.UnprocessableEntity : HttpStatusCode.OK, answer.StatusCode);
        return page;
    }

    protected static async Task<string> UntilAsync(HttpClient client, string path, string text)
    {
        string page = "";
        for (int i = 0; i < 1200; i++)
        {
            page = WebUtility.HtmlDecode(await client.GetStringAsync(path));
            if (page.Contains(text, StringComparison.Ordinal))
                return page;
            await Task.Delay(100);
        }
        Assert.Fail($"{path} never showed '{text}':\n{page}");
        return page;
    }

    protected static string TokenOf(string page)
    {
        var groups = Token().Match(page).Groups;
        return groups.Values.Skip(1).First(g => g.Success).Value;
    }

    [GeneratedRegex("""RequestVerificationToken&quot;:&quot;([^&]+)&quot;|RequestVerificationToken":"([^"]+)""" + "\"|"
        + """name="__RequestVerificationToken" type="hidden" value="([^"]+)""")]
    private static partial Regex Token();
}
