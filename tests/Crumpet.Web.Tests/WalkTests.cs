using System.Net;
using System.Reflection;
using System.Text.Json.Nodes;
using System.Text.RegularExpressions;
using Crumpet.Core;
using Crumpet.Core.Bake;
using Crumpet.Core.Building;
using Crumpet.Core.Checking;
using Crumpet.Core.Imaging;
using Crumpet.Core.Intake;
using Crumpet.Storage;
using Crumpet.Web.Runs;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.Mvc.Infrastructure;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.AspNetCore.Mvc.RazorPages.Infrastructure;
using Microsoft.AspNetCore.Mvc.Testing;
using Microsoft.AspNetCore.Routing;
using Microsoft.AspNetCore.Routing.Patterns;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;
using Microsoft.Extensions.Hosting;
using Xunit;

namespace Crumpet.Web.Tests;

/// <summary>Asks every address there is, by the routing table, for odd things: nothing fails, every page opens afterwards, no run is stuck.</summary>
public sealed partial class WalkTests : WebAppTests
{
    private static readonly string[] Methods = ["GET", "HEAD", "POST", "PUT", "DELETE", "PATCH", "OPTIONS", "TRACE", "ODD"];
    private static readonly string[] Numbers = ["1", "2", "99", "0", "-1", "99999999999999999999", "NaN", "1e300", "x"];
    private static readonly string[] Words = ["x", "99", "-1", "intake", "low.preview", "..%2f..%2fcrumpet.db", "%E2%80%AE",
        "0000000000000000000000000000000000000000000000000000000000000000"];
    private static readonly string[] Values = ["", "0", "-1", "2", "NaN", "1e300", "-1e300", "99999999999999999999", "\0", "null", "[null]", "[{}]", "{}", "99",
        "\u202e", new string('x', 10_000)];
    private static readonly string[] Pages = ["/", "/kits", "/kits/1", "/runs", "/find?q=crate",
        .. new[] { "intake", "pairs", "layout", "bake", "pack", "convert", "bind", "deliver", "history" }.Select(p => $"/assets/1/{p}")];

    private int turn;

    [Fact]
    public async Task Every_address_answers_every_method_and_odd_place_with_a_status_and_a_sentence()
    {
        using var app = await WithAssetsAsync();
        using var client = app.CreateClient(new WebApplicationFactoryClientOptions { AllowAutoRedirect = false });
        int asked = 0;
        foreach (var endpoint in Endpoints(app))
        {
            foreach (string address in AddressesOf(endpoint.RoutePattern))
            {
                foreach (string method in Methods)
                {
                    await AskAsync(client, new HttpRequestMessage(new HttpMethod(method), address));
                    asked++;
                }
            }
            using var foreign = new HttpRequestMessage(HttpMethod.Get, AddressesOf(endpoint.RoutePattern).First());
            foreign.Headers.Host = "evil.example";
            Assert.Equal(HttpStatusCode.MisdirectedRequest, await AskAsync(client, foreign));
        }
        Assert.True(asked > 1000, $"only {asked} requests were made");
        await OpenAllAsync(app);
    }

    [Fact]
    public async Task Every_form_field_takes_odd_values_and_absence_without_failing()
    {
        using var app = await WithAssetsAsync();
        using var client = app.CreateClient(new WebApplicationFactoryClientOptions { AllowAutoRedirect = false });
        string token = TokenOf(await client.GetStringAsync("/kits"));
        // What is asked for here is taken or refused; none of it need be worked.
        await app.Services.GetServices<IHostedService>().OfType<RunWorker>().Single().StopAsync(default);
        var loader = app.Services.GetRequiredService<PageLoader>();
        int posted = 0;
        foreach (var endpoint in Endpoints(app))
        {
            if (endpoint.Metadata.GetMetadata<PageActionDescriptor>() is not { } page)
                continue;
            var compiled = await loader.LoadAsync(page, endpoint.Metadata);
            string address = AddressesOf(endpoint.RoutePattern).First();
            foreach (var handler in compiled.HandlerMethods)
            {
                string path = handler.Name is { } name ? $"{address}?handler={name}" : address;
                var fields = handler.Parameters.SelectMany(p => FieldsOf(p.Name!, p.ParameterInfo.ParameterType)).ToArray();
                var plain = fields.ToDictionary(f => f.Name, f => PlainOf(f.Type));
                var odd = fields.SelectMany(f => Turn(Values).Select(v => new Dictionary<string, string>(plain) { [f.Name] = v }));
                var absent = fields.Select(f => plain.Where(p => p.Key != f.Name).ToDictionary());
                foreach (var sent in odd.Concat(absent).Prepend([]).Prepend(plain))
                {
                    if (handler.HttpMethod == "Get")
                    {
                        string query = string.Join('&', sent.Select(s => $"{s.Key}={Uri.EscapeDataString(s.Value)}"));
                        await AskAsync(client,
                            new HttpRequestMessage(HttpMethod.Get, $"{path}{(path.Contains('?', StringComparison.Ordinal) ? '&' : '?')}{query}"));
                        continue;
                    }
                    await SendAsync(client, path, new Dictionary<string, string>(sent) { ["__RequestVerificationToken"] = token });
                    posted++;
                }
                // What was put away comes back.
                await SendAsync(client, "/kits?handler=Restore", new() { ["kit"] = "1", ["__RequestVerificationToken"] = token });
                await SendAsync(client, "/kits/1?handler=Restore", new() { ["asset"] = "1", ["__RequestVerificationToken"] = token });
            }
            // Nothing that was sent keeps a page from opening.
            await OpenAllAsync(app);
        }
        Assert.True(posted > 500, $"only {posted} forms were sent");
        await CancelAllRunsAsync(client, token);
        await EndAllRunsAsync(app, client, token);
    }

    [Fact]
    public async Task Every_mend_with_each_field_missing_null_or_huge_is_taken_or_refused_with_a_sentence()
    {
        using var app = await WithAssetsAsync();
        using var client = app.CreateClient(new WebApplicationFactoryClientOptions { AllowAutoRedirect = false });
        string token = TokenOf(await client.GetStringAsync("/kits"));
        JsonNode?[] odd = [null, JsonValue.Create(1e300), JsonValue.Create(-1e300), JsonValue.Create(1e9), JsonValue.Create(new string('x', 10_000)),
            JsonValue.Create("NaN"), JsonValue.Create("\0"), JsonNode.Parse("[null]"), JsonNode.Parse("[]"), JsonNode.Parse("{}")];
        foreach (var kind in MendKinds.All)
        {
            foreach (var (property, _, _) in FieldRules.FieldsOf(kind.Type))
            {
                string key = char.ToLowerInvariant(property.Name[0]) + property.Name[1..];
                foreach (var value in Turn(odd))
                {
                    var mend = Plain(kind);
                    mend[key] = value?.DeepClone();
                    await MendAsync(mend);
                }
                var without = Plain(kind);
                without.Remove(key);
                await MendAsync(without);
            }
        }
        await EndAllRunsAsync(app, client, token);
        // What was taken is replayed without failing, and can all be taken back.
        await SendAsync(client, "/assets/1/intake?handler=Run", new() { ["__RequestVerificationToken"] = token });
        await OpenAllAsync(app);
        await SendAsync(client, "/assets/1/history", new() { ["number"] = "0", ["__RequestVerificationToken"] = token });
        await EndAllRunsAsync(app, client, token);
        using var again = app.CreateClient();
        await UntilAsync(again, "/assets/1/layout", "laid.obj");
        Assert.DoesNotContain(await FailuresAsync(), f => f.Length > 0);

        Task<HttpStatusCode> MendAsync(JsonObject mend) =>
            SendAsync(client, "/assets/1/intake?handler=Mend", new() { ["mend"] = mend.ToJsonString(), ["__RequestVerificationToken"] = token });
    }

    /// <summary>A fifth of the values: fields are read by the same rules, so they take turns with them.</summary>
    private IEnumerable<T> Turn<T>(T[] values)
    {
        int at = turn++;
        return values.Where((_, v) => (v + at) % 5 == 0);
    }

    private static JsonObject Plain(MendKind kind)
    {
        var mend = new JsonObject { ["mend"] = kind.Word };
        foreach (var (property, rule, mayBeNull) in FieldRules.FieldsOf(kind.Type))
        {
            if (!mayBeNull)
                mend[char.ToLowerInvariant(property.Name[0]) + property.Name[1..]] = PlainJson(property, rule);
        }
        // It finds nothing to work on: what is sent is what is tested, not what it would do.
        if (kind.Type.IsSubclassOf(typeof(IntakeMend)))
            mend["file"] = "no such file";
        return mend;
    }

    private static JsonNode? PlainJson(PropertyInfo property, FieldRuleAttribute? rule) => (property.PropertyType, rule) switch
    {
        (_, OneOfAttribute one) => JsonValue.Create(one.Values[0]),
        (var type, WithinAttribute within) when type == typeof(int) => JsonValue.Create((int)Math.Max(within.Least, Math.Min(within.Most, 64))),
        (_, WithinAttribute within) => JsonValue.Create(Math.Max(within.Least, Math.Min(within.Most, 1))),
        (var type, _) when type == typeof(string) => JsonValue.Create(property.Name is "From" or "To" ? "{part}" : "a"),
        (var type, _) when type == typeof(bool) => JsonValue.Create(true),
        ({ IsEnum: true } type, _) => JsonValue.Create(char.ToLowerInvariant(Enum.GetNames(type)[^1][0]) + Enum.GetNames(type)[^1][1..]),
        (var type, _) when type == typeof(Mend) => JsonNode.Parse("{\"mend\":\"upright\"}"),
        _ => property.Name == "Objects" ? JsonNode.Parse("[\"a\"]") : JsonNode.Parse("[]"),
    };

    private async Task<WebApplicationFactory<Program>> WithAssetsAsync()
    {
        var app = Start();
        using var client = app.CreateClient();
        string asset = await DropAsync(client, ("crate_low.obj", Low), ("crate_high.obj", High));
        await AddAsync(client, asset, ("crate_height.png", ImageFile.WritePng(new Bitmap8(16, 16, 1))));
        await DropAsync(client, ("other_low.obj", Low.Replace("crate", "other", StringComparison.Ordinal)),
            ("other_high.obj", High.Replace("crate", "other", StringComparison.Ordinal)));
        await UntilAsync(client, "/assets/2/layout", "laid.obj");
        await PostAsync(client, $"{asset}/bake", "Bake", new(SmallBake));
        await PostAsync(client, $"{asset}/deliver", "Run", []);
        await UntilAsync(client, $"{asset}/deliver", "Delivery 1 is current");
        return app;
    }

    private static IEnumerable<RouteEndpoint> Endpoints(WebApplicationFactory<Program> app) =>
        app.Services.GetRequiredService<IEnumerable<EndpointDataSource>>().SelectMany(s => s.Endpoints).OfType<RouteEndpoint>()
            .DistinctBy(e => e.RoutePattern.RawText);

    /// <summary>Addresses of a route, the plainest first; then one for each odd value of each of its places.</summary>
    private static IEnumerable<string> AddressesOf(RoutePattern pattern)
    {
        var plain = pattern.Parameters.ToDictionary(p => p.Name, p => IsNumber(p) ? "1" : p.Name is "station" ? "intake" : p.Name is "ending" ? "obj"
            : p.Name is "meaning" or "meaning2" ? "linear" : p.Name.StartsWith("sha", StringComparison.Ordinal) ? Words[^1] : "thumbnail.png");
        yield return Written(pattern, plain);
        foreach (var place in pattern.Parameters)
        {
            foreach (string odd in IsNumber(place) ? Numbers : Words)
                yield return Written(pattern, new Dictionary<string, string>(plain) { [place.Name] = odd });
        }
    }

    private static bool IsNumber(RoutePatternParameterPart part) => part.ParameterPolicies.Any(p => p.Content == "int");

    private static string Written(RoutePattern pattern, Dictionary<string, string> values) =>
        "/" + string.Join('/', pattern.PathSegments.Select(s => string.Concat(s.Parts.Select(p => p switch
        {
            RoutePatternParameterPart place => values[place.Name],
            RoutePatternLiteralPart literal => literal.Content,
            RoutePatternSeparatorPart separator => separator.Content,
            _ => "",
        }))));

    /// <summary>Fields of a form that a parameter of a page's handler takes.</summary>
    private static IEnumerable<(string Name, Type Type)> FieldsOf(string name, Type type)
    {
        var plain = Nullable.GetUnderlyingType(type) ?? type;
        return plain.IsPrimitive || plain.IsEnum || plain == typeof(string) ? [(name, plain)]
            // An entry of a table is sent by its word.
            : typeof(IEntry).IsAssignableFrom(plain) ? [(name, typeof(string))]
            : ElementOf(plain) is { } row ? FieldsOf("", row).Select(f => ($"{name}[0].{f.Name}", f.Type)).Append((name, typeof(string)))
            : plain.IsArray || typeof(System.Collections.IEnumerable).IsAssignableFrom(plain) ? [(name, typeof(string)), ($"{name}[x]", typeof(string))]
            : plain.GetProperties().Where(p => p.CanWrite).SelectMany(p => FieldsOf(p.Name, p.PropertyType));
    }

    /// <summary>What a list of a form's rows holds; null for other lists.</summary>
    private static Type? ElementOf(Type type) =>
        type.IsGenericType && type.GetGenericArguments()[0] is { IsClass: true } row && row.Assembly == typeof(Workbench).Assembly ? row : null;

    private static string PlainOf(Type type) => type == typeof(bool) ? "true" : type.IsEnum ? Enum.GetNames(type)[0] : type == typeof(string) ? "a" : "1";

    private static Task<HttpStatusCode> SendAsync(HttpClient client, string path, Dictionary<string, string> fields) =>
        AskAsync(client, new HttpRequestMessage(HttpMethod.Post, path) { Content = new FormUrlEncodedContent(fields) });

    private static async Task<HttpStatusCode> AskAsync(HttpClient client, HttpRequestMessage request)
    {
        using (request)
        {
            string sent = request.Content is null ? "" : await request.Content.ReadAsStringAsync();
            string asked = $"{request.Method} {request.RequestUri} {sent[..Math.Min(sent.Length, 300)]}";
            // The feed of runs never ends.
            using var answer = await client.SendAsync(request, HttpCompletionOption.ResponseHeadersRead);
            Assert.True((int)answer.StatusCode < 500, $"{(int)answer.StatusCode} for {asked}");
            if ((int)answer.StatusCode >= 400 && request.Method != HttpMethod.Head)
                Assert.True(Sentence().IsMatch(await answer.Content.ReadAsStringAsync()), $"{(int)answer.StatusCode} without a sentence for {asked}");
            return answer.StatusCode;
        }
    }

    private static async Task OpenAllAsync(WebApplicationFactory<Program> app)
    {
        using var client = app.CreateClient();
        foreach (string page in Pages)
            Assert.True((await client.GetAsync(page)).StatusCode == HttpStatusCode.OK, $"{page} does not open");
    }

    private async Task CancelAllRunsAsync(HttpClient client, string token)
    {
        foreach (int run in await ActiveRunsAsync())
            await SendAsync(client, "/runs?handler=Cancel", new() { ["run"] = $"{run}", ["__RequestVerificationToken"] = token });
    }

    private async Task<List<int>> ActiveRunsAsync()
    {
        await using var db = new CrumpetDb(Database.Options(DataFolder));
        return await db.Runs.Where(r => r.State == RunState.Queued || r.State == RunState.Running).Select(r => r.Id).ToListAsync();
    }

    private async Task EndAllRunsAsync(WebApplicationFactory<Program> app, HttpClient client, string token)
    {
        for (int i = 0; i < 600; i++)
        {
            if ((await ActiveRunsAsync()).Count == 0)
            {
                await OpenAllAsync(app);
                return;
            }
            if (i == 100)
                await CancelAllRunsAsync(client, token);
            await Task.Delay(100);
        }
        Assert.Fail("A run is stuck.");
    }

    private async Task<List<string>> FailuresAsync()
    {
        await using var db = new CrumpetDb(Database.Options(DataFolder));
        return await db.Runs.Where(r => r.State == RunState.Failed).Select(r => r.Message).ToListAsync();
    }

    [GeneratedRegex(@"\p{L}[^.]{10,}[.;]")]
    private static partial Regex Sentence();
}
