using Crumpet.Core.Checking;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Intake;

/// <summary>What became of the textures.</summary>
/// <param name="Reports">One row a picture.</param>
/// <param name="Looks">What each looks like, in the same order.</param>
/// <param name="Links">Pictures materials ask for.</param>
/// <param name="Mended">Pictures that mends made.</param>
internal sealed record IntakeTextures(IReadOnlyList<TextureReport> Reports, IReadOnlyList<PictureFacts> Looks, IReadOnlyList<TextureLink> Links,
    IReadOnlyDictionary<string, Bitmap> Mended);

/// <summary>Reads all files of an asset.</summary>
internal sealed class IntakeReading(IntakeInput input, IProgress<Progress>? progress, CancellationToken cancel)
{
    private readonly Dictionary<string, List<int>> materialsByName = new(StringComparer.Ordinal);
    private readonly Dictionary<string, SourceFile> byName = input.Files.ToDictionary(f => f.Name, StringComparer.Ordinal);

    /// <summary>Files that cannot be read.</summary>
    public List<UnreadFact> Unread { get; } = [];

    // Pictures inside mesh files that were read here, with their bytes.
    private readonly Dictionary<string, ReadOnlyMemory<byte>> inner = new(StringComparer.Ordinal);

    /// <summary>What readers say about what they read.</summary>
    public List<Finding> Notes { get; } = [];

    /// <summary>Reads meshes in the order of the files, and says what every file is.</summary>
    public (IntakeState State, List<FileReport> Files) ReadMeshes()
    {
        var state = new IntakeState([], [], [], [], NameReader.Create(input.Pattern, input.Rules.Names));
        var files = new List<FileReport>();
        var scenes = ReadScenes();
        var layers = LayersOf(scenes);
        foreach (var file in input.Files)
        {
            if (!MeshFiles.IsMesh(file.Name) || layers.Contains(file.Name))
            {
                files.Add(new FileReport(file.Name, file.Bytes, MeshFiles.IsPicture(file.Name) ? "picture"
                    : MeshFiles.IsCompanion(file.Name) || layers.Contains(file.Name) ? "goes with a mesh" : "not read", 0, 0));
                continue;
            }
            var (scene, error) = scenes[file.Name];
            if (scene is null)
            {
                files.Add(new FileReport(file.Name, file.Bytes, "unreadable", 0, 0));
                Unread.Add(new UnreadFact(file.Name, error));
                continue;
            }
            Notes.AddRange(scene.Notes);
            files.Add(new FileReport(file.Name, file.Bytes, "mesh", scene.Meshes.Count, scene.Meshes.Sum(m => m.TriangleCount)));
            foreach (var picture in scene.Pictures.Where(p => MeshFiles.IsPicture(p.Name)))
                inner[$"{file.Name}/{picture.Name}"] = picture.Bytes;
            Take(file, scene, state);
        }
        files.AddRange(inner.Select(p => new FileReport(p.Key, p.Value.Length, "picture", 0, 0)));
        return (state, files);
    }

    /// <summary>What every mesh file holds, or why it cannot be read.</summary>
    private Dictionary<string, (Scene? Scene, string Error)> ReadScenes()
    {
        var found = new Dictionary<string, (Scene?, string)>(StringComparer.Ordinal);
        for (int i = 0; i < input.Files.Count; i++)
        {
            cancel.ThrowIfCancellationRequested();
            var file = input.Files[i];
            if (!MeshFiles.IsMesh(file.Name))
                continue;
            progress?.Report(new Progress(0.4 * i / input.Files.Count, $"reading {file.Name}"));
            try
            {
                found[file.Name] = (input.Scenes is { } scenes ? scenes(file) : Read(file), "");
            }
            catch (SourceFileException e)
            {
                found[file.Name] = (null, e.Message);
            }
        }
        return found;
    }

    /// <summary>Mesh files that are layers of another one, and so are in it already.</summary>
    private HashSet<string> LayersOf(Dictionary<string, (Scene? Scene, string Error)> scenes)
    {
        var layers = new HashSet<string>(StringComparer.Ordinal);
        foreach (var file in input.Files)
        {
            if (layers.Contains(file.Name) || !scenes.TryGetValue(file.Name, out var read) || read.Scene is null)
                continue;
            foreach (string layer in read.Scene.Layers)
            {
                if (MeshFiles.Beside(file.Name, layer, byName.Keys) is { } name && name != file.Name)
                    layers.Add(name);
            }
        }
        return layers;
    }

    private Scene Read(SourceFile file)
    {
        using var stream = Open(file);
        return MeshFiles.Read(file.Name, stream, path => MeshFiles.Beside(file.Name, path, byName.Keys) is { } found ? Bytes(byName[found]) : null,
            input.Threads, cancel);
    }

    private Stream Open(SourceFile file) => inner.TryGetValue(file.Name, out var bytes) ? new MemoryStream(bytes.ToArray(), writable: false) : input.Open(file);

    private byte[] Bytes(SourceFile file)
    {
        using var stream = Open(file);
        if (stream.Length > Array.MaxLength)
            throw new SourceFileException(file.Name, "", $"it has {stream.Length} bytes, which is more than is read", "Make it smaller");
        var bytes = new byte[stream.Length];
        stream.ReadExactly(bytes);
        return bytes;
    }

    private void Take(SourceFile file, Scene scene, IntakeState state)
    {
        var seen = new Dictionary<string, int>(StringComparer.Ordinal);
        int[] numbers = [.. Enumerable.Repeat(-1, scene.Materials.Count)];
        foreach (var mesh in scene.Meshes)
        {
            string name = SafeName.Of(mesh.Name);
            foreach (int own in mesh.TriangleMaterials.Distinct().Order())
                NumberOf(own);
            int number = seen[name] = seen.GetValueOrDefault(name) + 1;
            var taken = mesh with { Name = name, TriangleMaterials = Array.ConvertAll(mesh.TriangleMaterials, NumberOf) };
            state.Objects.Add(new IntakeObject(file.Name, number == 1 ? name : $"{name}#{number}",
                taken)
            { ForcedSide = file.ForcedSide, IsFar = !WorldLimit.Holds(taken) });
        }
        state.Strays.AddRange(scene.Strays.Select(s => new IntakeStray(file.Name, s with { Name = SafeName.Of(s.Name) })));

        // Materials are numbered as meshes first use them; those that say the same are one.
        int NumberOf(int own)
        {
            if (own < 0 || own >= numbers.Length)
                return -1;
            if (numbers[own] >= 0)
                return numbers[own];
            var material = scene.Materials[own] with { Name = SafeName.Of(scene.Materials[own].Name) };
            if (!materialsByName.TryGetValue(material.Name, out var namesakes))
                materialsByName.Add(material.Name, namesakes = []);
            int same = namesakes.FindIndex(m => (state.Materials[m] with { Name = material.Name }).SaysTheSameAs(material));
            if (same >= 0)
                return numbers[own] = namesakes[same];
            // Within a file they are two; between files it is found out later whether they are.
            if (namesakes.Exists(m => numbers.Contains(m)))
            {
                string free = MaterialNames.Free(state.Materials, material.Name);
                state.RenamedMaterials.Add(new RenamedMaterialFact(file.Name, material.Name, free));
                material = material with { Name = free };
            }
            namesakes.Add(state.Materials.Count);
            state.Materials.Add(material);
            return numbers[own] = state.Materials.Count - 1;
        }
    }

    /// <summary>Looks at pictures, applies their mends, and finds the files that materials ask for.</summary>
    /// <param name="state">The meshes.</param>
    /// <param name="mends">All mends.</param>
    /// <param name="changed">Receives how many pictures each changed.</param>
    /// <param name="files">Rows of the files; unreadable pictures are marked.</param>
    public IntakeTextures LookAtTextures(IntakeState state, Mend[] mends, int[] changed, List<FileReport> files)
    {
        var pictures = input.Files.Where(f => MeshFiles.IsPicture(f.Name)).Concat(inner.Select(p => new SourceFile(p.Key, "", p.Value.Length))).ToArray();
        var links = Links(state, pictures);
        var reports = new List<TextureReport>();
        var looks = new List<PictureFacts>();
        var mended = new Dictionary<string, Bitmap>(StringComparer.Ordinal);
        var usesOf = links.ToLookup(l => l.File, StringComparer.Ordinal);
        var rowOf = Enumerable.Range(0, files.Count).ToDictionary(f => files[f].Name, StringComparer.Ordinal);
        for (int i = 0; i < pictures.Length; i++)
        {
            cancel.ThrowIfCancellationRequested();
            var file = pictures[i];
            progress?.Report(new Progress(0.5 + 0.25 * i / pictures.Length, $"looking at {file.Name}"));
            try
            {
                var seen = input.Looks is { } known ? known(file) : Look(file);
                var uses = usesOf[file.Name].ToArray();
                var (kind, by) = KindOf(file.Name, uses, seen);
                var (picture, shown, newKind) = Mended(file, seen, kind, mends, changed);
                if (newKind != kind)
                    (kind, by) = (newKind, "a mend");
                reports.Add(Report(file, shown, kind, by, uses, picture, mended));
                looks.Add(shown);
                int row = rowOf[file.Name];
                files[row] = files[row] with { Kind = $"picture {seen.Width} × {seen.Height} px" };
            }
            catch (SourceFileException e)
            {
                int row = rowOf[file.Name];
                files[row] = files[row] with { Kind = "unreadable" };
                Unread.Add(new UnreadFact(file.Name, e.Message));
            }
        }
        return new IntakeTextures(reports, looks, links, mended);
    }

    private TextureReport Report(SourceFile file, PictureFacts shown, TextureKind kind, string by, TextureLink[] uses, Bitmap? picture,
        Dictionary<string, Bitmap> mended)
    {
        string format = Path.GetExtension(file.Name).TrimStart('.').ToUpperInvariant();
        var report = new TextureReport(
            file.Name, format == "JPG" ? "JPEG" : format == "TIF" ? "TIFF" : format, shown.Width, shown.Height, shown.Bits, shown.Channels,
                shown.Content.Words(shown.Channels), kind, by,
            kind == TextureKind.Normal ? shown.Content.Green : null, [.. uses.Select(u => u.Material).Distinct()])
        {
            IsGrey = shown.Channels < 3 || shown.Content.IsGrey,
            HasOpacity = shown.Content.Alpha is { IsAllWhite: false },
        };
        if (picture is null)
            return report;
        // The old ending stays: two files may differ in nothing else.
        string name = file.Name + (picture.Bits == 32 ? ".mended.tif" : ".mended.png");
        if (input.PictureMade is { } made)
            made(name, picture);
        else
            mended.Add(name, picture);
        return report with { MendedFile = name };
    }

    private PictureFacts Look(SourceFile file) => PictureFacts.Read(Bytes(file), file.Name, cancel);

    private Bitmap Picture(SourceFile file) => ImageFile.Read(Bytes(file), file.Name);

    private static (TextureKind Kind, string By) KindOf(string file, TextureLink[] uses, PictureFacts look)
    {
        var byName = TextureKinds.ByName(file);
        var byContent = TextureKinds.ByContent(look.Content, look.Channels);
        if (uses.Select(u => u.Slot).FirstOrDefault(k => k != TextureKind.Unknown) is var bySlot && bySlot != TextureKind.Unknown)
        {
            // Slots for bumps take normal maps too, and only the content tells which it is.
            return bySlot == TextureKind.Height && (byContent == TextureKind.Normal || byName == TextureKind.Normal) ? (TextureKind.Normal, "its content")
                : (bySlot, TextureKinds.BySlot);
        }
        return byName != TextureKind.Unknown ? (byName, "its name") : byContent != TextureKind.Unknown ? (byContent, "its content") : (TextureKind.Unknown, "");
    }

    private (Bitmap? Picture, PictureFacts Look, TextureKind Kind) Mended(SourceFile file, PictureFacts seen, TextureKind kind, Mend[] mends, int[] changed)
    {
        Bitmap? picture = null;
        for (int i = 0; i < mends.Length; i++)
        {
            if (mends[i] is not IntakeMend { IsOn: true } mend || !mend.IsFor(file.Name))
                continue;
            if (mend is SetKind { Kind: var told })
            {
                kind = told;
                changed[i]++;
                continue;
            }
            if (mend is not PictureMend pictureMend)
                continue;
            var before = picture ?? Picture(file);
            picture = pictureMend.Changed(before, MeaningOf(kind, before), input.Green, cancel);
            kind = pictureMend.KindAfter(kind);
            changed[i] += ReferenceEquals(picture, before) ? 0 : 1;
        }
        return picture is null ? (null, seen, kind) : (picture, PictureFacts.Of(picture), kind);
    }

    private static ColourMeaning MeaningOf(TextureKind kind, Bitmap picture) =>
        new TextureReport("", "", 0, 0, picture.Bits, picture.Channels, "", kind, "", null, []).Meaning;

    private static List<TextureLink> Links(IntakeState state, SourceFile[] pictures)
    {
        var links = new List<TextureLink>();
        var names = pictures.Select(p => p.Name).ToArray();
        var firstFile = new string?[state.Materials.Count];
        foreach (var o in state.Objects)
        {
            foreach (int m in o.Mesh.TriangleMaterials)
            {
                if (m >= 0)
                    firstFile[m] ??= o.File;
            }
        }
        for (int m = 0; m < state.Materials.Count; m++)
        {
            string file = firstFile[m] ?? "";
            foreach (var use in state.Materials[m].Textures)
            {
                string? found = use.Path.Length == 0 ? null
                    : state.Paths.TryGetValue(use.Path, out string? told) && names.Contains(told, StringComparer.Ordinal) ? told
                    : SourcePaths.Exact(file, use.Path, names);
                links.Add(new TextureLink(state.Materials[m].Name, use.Slot, use.Path, found));
            }
        }
        return links;
    }
}
