using System.Text;
using Crumpet.Core.Building;
using Crumpet.Core.Imaging;
using Crumpet.Core.Pack;
using Xunit;

namespace Crumpet.Core.Tests.Pack;

/// <summary>Recipes as files, of this version and the one before, and what cannot be one.</summary>
public sealed class RecipeTests
{
    [Fact]
    public void A_file_says_all_a_recipe_can_and_is_written_as_it_was_read()
    {
        const string Text = """
            { "version": 2, "name": "three masks", "outputs": [
              { "name": "masks", "on": true, "file": "{asset}_{map}", "meaning": "linear", "bits": 8, "picture": "png", "size": "same",
                "channels": [ { "from": ["ao", "cavity"], "channel": "r", "invert": false, "range": [0, 1], "exponent": 1, "else": 1,
                                "mix": { "how": "multiply", "from": ["curvature"], "channel": "r" } },
                              { "from": [], "else": 0.25 } ] },
              { "name": "n", "meaning": "normal", "size": 512, "normals": { "strength": 2, "detail": ["scratches"] }, "picture": "exr", "bits": 16,
                "channels": [ { "from": ["normal"] }, { "from": ["normal"], "channel": "g" } ] } ] }
            """;
        var recipe = RecipeFile.Read(Encoding.UTF8.GetBytes(Text), "r.json");
        Assert.Equal(("three masks", 2), (recipe.Name, recipe.Outputs.Count));
        Assert.Equal(new Feed(["ao", "cavity"], Else: 1) { Mix = new Mix(MixHow.Multiply, ["curvature"]) }, recipe.Outputs[0].Channels[0]);
        Assert.Equal(("512", 2.0), (recipe.Outputs[1].Size, recipe.Outputs[1].Normals!.Strength));
        byte[] written = RecipeFile.Write(recipe);
        Assert.Equal(written, RecipeFile.Write(RecipeFile.Read(written, "r.json")));
        Assert.Equal(recipe.Outputs, RecipeFile.Read(written, "r.json").Outputs);
        Assert.Contains("\"size\": 512", Encoding.UTF8.GetString(written), StringComparison.Ordinal);
    }

    [Fact]
    public void A_file_of_the_version_before_says_the_same()
    {
        const string Old = """
            { "version": 1, "outputs": [ { "name": "masks", "meaning": "linear", "format": "bc7", "channels": [
              { "map": "ao", "channel": 0, "fallback": 1 }, { "map": "normal", "channel": 2, "invert": true }, { "map": null, "fallback": 0.5 } ] } ] }
            """;
        var output = Assert.Single(RecipeFile.Read(Encoding.UTF8.GetBytes(Old), "r.json").Outputs);
        Assert.Equal([Feed.Of("ao", @else: 1), new Feed(["normal"], FeedChannel.B, true), new Feed([], Else: 0.5)], output.Channels);
        Assert.Equal(TextureFormat.Bc7, output.Format);
    }

    [Theory]
    [InlineData("{ 'outputs': [] }", "no output")]
    [InlineData("{ 'outputs': [ { 'name': 'a/b', 'meaning': 'linear', 'channels': [ { 'from': [] } ] } ] }", "a/b")]
    [InlineData("'channels': []", "no channels")]
    [InlineData("'size': 'huge', 'channels': [ { 'from': [] } ]", "'huge'")]
    [InlineData("'bits': 12, 'channels': [ { 'from': [] } ]", "8, 16 or 32")]
    [InlineData("'bits': 16, 'picture': 'jpeg', 'channels': [ { 'from': [] } ]", "JPEG holds 8")]
    [InlineData("'alpha': 'opacity', 'channels': [ { 'from': [] } ]", "opacity")]
    [InlineData("'file': '{asset', 'channels': [ { 'from': [] } ]", "brace")]
    [InlineData("'file': '../../{map}', 'channels': [ { 'from': [] } ]", "no file name may")]
    [InlineData("'channels': [ { 'from': ['ao'], 'range': [1, 1] } ]", "must differ")]
    [InlineData("'channels': [ { 'from': ['ao'], 'range': [1] } ]", "give it two")]
    [InlineData("'channels': [ { 'from': ['ao'], 'exponent': 0 } ]", "exponent")]
    [InlineData("'channels': [ { 'from': ['ao'], 'mix': { 'how': 'mask', 'from': ['ao'] } } ]", "mask")]
    [InlineData("'channels': [ { 'frm': ['ao'] } ]", "'frm' is not known")]
    [InlineData("{ 'version': 3, 'outputs': [ { 'name': 'a', 'meaning': 'linear', 'channels': [ { 'from': [] } ] } ] }", "version 3")]
    public void What_cannot_be_a_recipe_says_why(string text, string why)
    {
        // Quotes are single ones here; what is no whole file is the rest of one output.
        string whole = text.StartsWith('{') ? text : $"{{ 'outputs': [ {{ 'name': 'a', 'meaning': 'linear', {text} }} ] }}";
        byte[] bytes = Encoding.UTF8.GetBytes(whole.Replace('\'', '"'));
        Assert.Contains(why, Assert.Throws<SourceFileException>(() => RecipeFile.Read(bytes, "r.json")).Message, StringComparison.Ordinal);
    }

    [Fact]
    public void Two_outputs_of_one_name_are_refused_and_one_that_is_off_is_not_made()
    {
        var output = Recipe.Default.Outputs[0];
        Assert.Null(Recipe.Default.Problem());
        Assert.Contains("two outputs", new Recipe([output, output with { Name = "COLOUR" }]).Problem()!, StringComparison.Ordinal);
        Assert.Contains("makes no output", new Recipe([output with { On = false }]).Problem()!, StringComparison.Ordinal);
        Assert.Single(new Recipe([output, Recipe.Default.Outputs[1] with { On = false }]).Made());
    }
}
