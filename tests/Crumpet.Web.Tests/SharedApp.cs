using Microsoft.AspNetCore.Mvc.Testing;
using Xunit;

namespace Crumpet.Web.Tests;

/// <summary>The application the tests of a class share.</summary>
public sealed class SharedApp : IDisposable
{
    private readonly WebApplicationFactory<Program> app;

    public SharedApp()
    {
        app = WebAppTests.Start(DataFolder);
        Client = app.CreateClient();
    }

    public HttpClient Client { get; }

    /// <summary>Where it keeps its data.</summary>
    public string DataFolder { get; } = Directory.CreateTempSubdirectory("crumpet").FullName;

    public void Dispose()
    {
        Client.Dispose();
        app.Dispose();
        Directory.Delete(DataFolder, recursive: true);
    }
}

/// <summary>
/// Tests on one application, each with a kit of its own; those that look at all kits, stop the application or harm its store start their own.
/// </summary>
public abstract class SharedAppTests(SharedApp shared) : WebAppTests, IClassFixture<SharedApp>
{
    protected SharedApp Shared => shared;

    protected HttpClient Client => shared.Client;
}
