namespace Crumpet.Core.Geometry;

/// <summary>
/// Puts the layers of a scene together: sublayers, classes that are inherited, chosen variants, references and payloads, in their
/// order of strength, to one tree of prims.
/// </summary>
/// <remarks>Source: the published rules of composition of Universal Scene Description (local, inherits, variants, references, payloads, specializes).</remarks>
internal sealed class UsdStage
{
    private const int DeepestPrim = 128;
    private const int MostLayers = 10_000;

    // What a scene may grow to by its references: so many prims in any case, and so many times what its layers state.
    private const int AlwaysAllowed = 100_000;
    private const int MostTimesLarger = 30;

    private readonly string fileName;
    private readonly Func<string, byte[]?> beside;
    private readonly CancellationToken cancel;
    private readonly Dictionary<string, IReadOnlyList<Layer>> stacks = new(StringComparer.Ordinal);
    private readonly SortedSet<string> missing = new(StringComparer.Ordinal);
    private readonly SortedSet<string> read = new(StringComparer.Ordinal);
    private int layers, prims, opinions, stated;

    private UsdStage(string fileName, Func<string, byte[]?> beside, CancellationToken cancel)
    {
        this.fileName = fileName;
        this.beside = beside;
        this.cancel = cancel;
    }

    /// <summary>The composed tree, with the first layer's metadata.</summary>
    public UsdPrim Root { get; private set; } = new("");

    /// <summary>Other layers that were read.</summary>
    public IReadOnlyCollection<string> Read => read;

    /// <summary>Layers that are referred to and are not there, by the paths that are written.</summary>
    public IReadOnlyCollection<string> Missing => missing;

    /// <summary>Puts a scene together.</summary>
    /// <param name="bytes">The first layer.</param>
    /// <param name="fileName">Its name.</param>
    /// <param name="path">Where it lies among the files <paramref name="beside"/> knows.</param>
    /// <param name="beside">Bytes of another layer by its path, or null.</param>
    /// <param name="cancel">Ends the reading early.</param>
    /// <exception cref="SourceFileException">A layer cannot be read, or refers to itself without end.</exception>
    public static UsdStage Open(byte[] bytes, string fileName, string path, Func<string, byte[]?> beside, CancellationToken cancel)
    {
        var stage = new UsdStage(fileName, beside, cancel);
        var stack = stage.StackOf(new Layer(path, stage.ReadLayer(bytes, fileName)), []);
        stage.stacks[path] = stack;
        stage.Root = stage.Compose("", [.. stack.Select(l => new Opinion(l.Root, stack, "", ""))], 0)!;
        foreach (var (key, value) in stack[0].Root.Metadata)
            stage.Root.Metadata.TryAdd(key, value);
        return stage;
    }

    /// <summary>The layer and those below it, strongest first.</summary>
    private List<Layer> StackOf(Layer first, string[] above)
    {
        var found = new List<Layer> { first };
        if (!first.Root.Metadata.TryGetValue("subLayers", out var below))
            return found;
        if (above.Length > DeepestPrim)
            throw new SourceFileException(fileName, first.Path, $"its sublayers are nested more than {DeepestPrim} deep",
                "Flatten it to one layer and export again");
        string[] within = [.. above, first.Path];
        foreach (string asset in below.Words)
        {
            string path = Resolved(first.Path, asset);
            if (!within.Contains(path) && Load(path, asset) is { } layer)
                found.AddRange(StackOf(layer, within));
        }
        return found;
    }

    private IReadOnlyList<Layer> Stack(string from, string asset)
    {
        string path = Resolved(from, asset);
        if (stacks.TryGetValue(path, out var known))
            return known;
        return stacks[path] = Load(path, asset) is { } layer ? StackOf(layer, []) : [];
    }

    private Layer? Load(string path, string asset)
    {
        if (++layers > MostLayers)
            throw new SourceFileException(fileName, "", $"it refers to more than {MostLayers} layers", "Flatten it to one layer and export again");
        if (beside(path) is { } bytes)
        {
            read.Add(path);
            return new Layer(path, ReadLayer(bytes, path));
        }
        missing.Add(asset);
        return null;
    }

    private long Most => AlwaysAllowed + (long)MostTimesLarger * stated;

    private UsdPrim ReadLayer(byte[] bytes, string name) => UsdText.Is(bytes) ? Counted(UsdText.Read(bytes, name, cancel))
        : UsdCrate.Is(bytes) ? Counted(UsdCrate.Read(bytes, name, cancel))
        : throw new SourceFileException(fileName, name == fileName ? "" : name, "it is no layer of Universal Scene Description",
            "Export it again as .usda or .usdc");

    private UsdPrim Counted(UsdPrim layer)
    {
        var open = new Stack<UsdPrim>([layer]);
        while (open.TryPop(out var prim))
        {
            stated++;
            foreach (var child in prim.Children)
                open.Push(child);
        }
        return layer;
    }

    private static string Resolved(string from, string asset)
    {
        string path = asset.Replace('\\', '/');
        // A place on somebody's machine is no step from here.
        if (path.StartsWith('/') || (path.Length > 1 && path[1] == ':'))
            return path;
        var parts = new List<string>(from.Split('/')[..^1]);
        foreach (string part in path.Split('/'))
        {
            if (part == ".." && parts.Count > 0 && parts[^1] != "..")
                parts.RemoveAt(parts.Count - 1);
            else if (part is not ("." or ""))
                parts.Add(part);
        }
        return string.Join('/', parts);
    }

    /// <summary>What all opinions, strongest first, make of a prim; null where none states it, or it is a class or switched off.</summary>
    private UsdPrim? Compose(string path, IReadOnlyList<Opinion> own, int depth)
    {
        cancel.ThrowIfCancellationRequested();
        if (++prims > Most || depth > DeepestPrim)
            throw new SourceFileException(fileName, path, "its references lead into one another without end", "Flatten it to one layer and export again");
        var all = new List<Opinion>();
        foreach (var opinion in own)
            Expand(opinion, path, all, []);
        if (depth > 0 && (!all.Exists(o => o.Prim.Specifier == UsdSpecifier.Def) || all[0].Prim.Specifier == UsdSpecifier.Class
            || First(all, "active") is { Number: 0 }))
            return null;
        var composed = new UsdPrim(path[(path.LastIndexOf('/') + 1)..]) { Specifier = UsdSpecifier.Def };
        var children = new OrderedDictionary<string, List<Opinion>>(StringComparer.Ordinal);
        foreach (var opinion in all)
        {
            if (composed.Type.Length == 0)
                composed.Type = opinion.Prim.Type;
            foreach (var (key, value) in opinion.Prim.Metadata)
                composed.Metadata.TryAdd(key, value);
            foreach (var (name, property) in opinion.Prim.Properties)
                Add(composed.Property(name), property, opinion);
            foreach (var child in opinion.Prim.Children)
            {
                if (!children.TryGetValue(child.Name, out var said))
                    children.Add(child.Name, said = []);
                said.Add(opinion with { Prim = child });
            }
        }
        foreach (var (name, said) in children)
        {
            if (Compose($"{path}/{name}", said, depth + 1) is { } child)
                composed.Add(child);
        }
        return composed;
    }

    private static UsdValue? First(List<Opinion> all, string key) =>
        all.Select(o => o.Prim.Metadata.GetValueOrDefault(key)).FirstOrDefault(v => v is not null);

    private static void Add(UsdProperty into, UsdProperty from, Opinion opinion)
    {
        if (into.Type.Length == 0)
            into.Type = from.Type;
        into.Value ??= opinion.Placed(from.Value);
        into.FirstSample ??= opinion.Placed(from.FirstSample);
        into.Targets ??= from.Targets?.Select(t => t with { Path = opinion.Here(t.Path) }).ToArray();
        foreach (var (key, value) in from.Metadata)
            into.Metadata.TryAdd(key, value);
    }

    /// <summary>An opinion and all it brings with it, strongest first.</summary>
    private void Expand(Opinion opinion, string path, List<Opinion> into, IReadOnlyCollection<UsdPrim> above)
    {
        // What refers to itself says nothing more the second time.
        if (above.Contains(opinion.Prim))
            return;
        if (++opinions > Most)
            throw new SourceFileException(fileName, path, "its references lead into one another without end", "Flatten it to one layer and export again");
        UsdPrim[] within = [.. above, opinion.Prim];
        into.Add(opinion);
        var prim = opinion.Prim;
        Inherit("inherits");
        foreach (var (set, variants) in prim.Variants)
        {
            // A stronger layer may choose for a weaker one.
            string? chosen = into.Select(o => o.Prim.Chosen.GetValueOrDefault(set)).FirstOrDefault(c => c is not null);
            if (chosen is not null && variants.TryGetValue(chosen, out var variant))
                Expand(opinion with { Prim = variant }, path, into, within);
        }
        Refer("references");
        Refer("payload");
        Inherit("specializes");

        void Inherit(string key)
        {
            if (!prim.Metadata.TryGetValue(key, out var classes))
                return;
            foreach (var target in classes.Targets)
                ExpandAll(opinion.Stack, target.Path, opinion with { From = target.Path, To = path });
        }

        void Refer(string key)
        {
            if (!prim.Metadata.TryGetValue(key, out var targets))
                return;
            foreach (var target in targets.Targets)
            {
                var stack = target.Asset.Length == 0 ? opinion.Stack : Stack(opinion.Stack[0].Path, target.Asset);
                if (stack.Count == 0)
                    continue;
                string wanted = target.Path.Length > 0 ? target.Path
                    : "/" + (stack[0].Root.Metadata.GetValueOrDefault("defaultPrim")?.Word ?? (stack[0].Root.Children is [var first, ..] ? first.Name : ""));
                ExpandAll(stack, wanted, new Opinion(prim, stack, wanted, path));
            }
        }

        void ExpandAll(IReadOnlyList<Layer> stack, string wanted, Opinion like)
        {
            foreach (var layer in stack)
            {
                if (layer.Root.At(wanted) is { } target)
                    Expand(like with { Prim = target }, path, into, within);
            }
        }
    }

    /// <summary>A layer that was read.</summary>
    private sealed record Layer(string Path, UsdPrim Root);

    /// <summary>What one layer says of a prim. Paths in it that begin with <paramref name="From"/> mean what lies below <paramref name="To"/>.</summary>
    private sealed record Opinion(UsdPrim Prim, IReadOnlyList<Layer> Stack, string From, string To)
    {
        public string Here(string path) => From.Length > 0 && path.StartsWith(From, StringComparison.Ordinal)
            && (path.Length == From.Length || path[From.Length] is '/' or '.') ? To + path[From.Length..] : path;

        /// <summary>A value whose assets are looked for from where the layer lies.</summary>
        public UsdValue? Placed(UsdValue? value) => value is null || value.Targets.Count == 0 || value.Targets.All(t => t.Asset.Length == 0) ? value
            : value with { Words = [.. value.Targets.Select(t => Resolved(Stack[0].Path, t.Asset))] };
    }
}
