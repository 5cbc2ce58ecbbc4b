using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Intake;

/// <summary>What became of the textures.</summary>
/// <param name="Reports">One row a picture.</param>
/// <param name="Looks">What each looks like, in the same order.</param>
/// <param name="Links">Pictures materials ask for.</param>
/// <param name="Mended">Pictures that mends made.</param>
internal sealed record IntakeTextures(IReadOnlyList<TextureReport> Reports, IReadOnlyList<PictureLook> Looks, IReadOnlyList<TextureLink> Links, IReadOnlyDictionary<string, Bitmap> Mended);

/// <summary>Reads all files of an asset.</summary>
internal sealed class IntakeReading(IntakeInput input, List<Finding> findings, IProgress<Progress>? progress, CancellationToken cancel)
{
    private readonly Dictionary<string, SourceFile> byName = input.Files.ToDictionary(f => f.Name, StringComparer.Ordinal);

    /// <summary>Reads meshes in the order of the files, and says what every file is.</summary>
    public (IntakeState State, List<FileReport> Files) ReadMeshes()
    {
        var state = new IntakeState([], [], [], [], NameReader.Create(input.Pattern, input.Rules.Names));
        var files = new List<FileReport>();
        for (int i = 0; i < input.Files.Count; i++)
        {
            cancel.ThrowIfCancellationRequested();
            var file = input.Files[i];
            progress?.Report(new Progress(0.4 * i / input.Files.Count, $"reading {file.Name}"));
            if (!MeshFiles.IsMesh(file.Name))
            {
                files.Add(new FileReport(file.Name, file.Bytes, MeshFiles.IsPicture(file.Name) ? "picture" : MeshFiles.IsCompanion(file.Name) ? "goes with a mesh" : "not read", 0, 0));
                if (!MeshFiles.IsCompanion(file.Name))
                    findings.Add(new Finding(Severity.Note, "file-not-read", file.Name, $"{file.Name} is neither a mesh nor a picture that is read; leave it out, or export it as {string.Join(", ", MeshFiles.Endings)}.", 1));
                continue;
            }
            try
            {
                var scene = input.RememberScene is { } remember ? remember(file, () => Read(file)) : Read(file);
                findings.AddRange(scene.Notes);
                files.Add(new FileReport(file.Name, file.Bytes, "mesh", scene.Meshes.Count, scene.Meshes.Sum(m => m.TriangleCount)));
                Take(file, scene, state);
            }
            catch (SourceFileException e)
            {
                files.Add(new FileReport(file.Name, file.Bytes, "unreadable", 0, 0));
                findings.Add(new Finding(Severity.Stop, "unreadable-file", file.Name, e.Message, 1));
            }
        }
        return (state, files);
    }

    private Scene Read(SourceFile file)
    {
        using var stream = input.Open(file);
        return MeshFiles.Read(file.Name, stream, path => Beside(file.Name, path), input.Threads, cancel);
    }

    private byte[]? Beside(string file, string path)
    {
        // Buffers and libraries are taken from another folder or case too: nothing but their content could be meant.
        var found = SourcePaths.Candidates(file, path, byName.Keys).FirstOrDefault(c => c.Fit != PathFit.OtherEnding).File;
        return found is null ? null : Bytes(byName[found]);
    }

    private byte[] Bytes(SourceFile file)
    {
        using var stream = input.Open(file);
        if (stream.Length > Array.MaxLength)
            throw new SourceFileException(file.Name, "", $"it has {stream.Length} bytes, which is more than is read", "Make it smaller");
        var bytes = new byte[stream.Length];
        stream.ReadExactly(bytes);
        return bytes;
    }

    private static void Take(SourceFile file, Scene scene, IntakeState state)
    {
        var seen = new Dictionary<string, int>(StringComparer.Ordinal);
        foreach (var mesh in scene.Meshes)
        {
            int number = seen[mesh.Name] = seen.GetValueOrDefault(mesh.Name) + 1;
            state.Objects.Add(new IntakeObject(file.Name, number == 1 ? mesh.Name : $"{mesh.Name}#{number}", WithMaterials(mesh, scene.Materials, state.Materials)) { ForcedSide = file.ForcedSide });
        }
        state.Strays.AddRange(scene.Strays.Select(s => new IntakeStray(file.Name, s)));
    }

    private static Mesh WithMaterials(Mesh mesh, IReadOnlyList<Material> own, List<Material> all)
    {
        var used = new bool[own.Count];
        foreach (int m in mesh.TriangleMaterials)
        {
            if (m >= 0 && m < used.Length)
                used[m] = true;
        }
        var map = new int[own.Count];
        for (int i = 0; i < own.Count; i++)
        {
            if (!used[i])
                continue;
            map[i] = all.FindIndex(m => m.SaysTheSameAs(own[i]));
            if (map[i] < 0)
            {
                map[i] = all.Count;
                all.Add(own[i]);
            }
        }
        return mesh with { TriangleMaterials = Array.ConvertAll(mesh.TriangleMaterials, m => m < 0 || m >= map.Length ? -1 : map[m]) };
    }

    /// <summary>Looks at pictures, applies their mends, and finds the files that materials ask for.</summary>
    /// <param name="look">The meshes.</param>
    /// <param name="mends">All mends.</param>
    /// <param name="changed">Receives how many pictures each changed.</param>
    /// <param name="files">Rows of the files; unreadable pictures are marked.</param>
    public IntakeTextures LookAtTextures(IntakeLook look, Mend[] mends, int[] changed, List<FileReport> files)
    {
        var pictures = input.Files.Where(f => MeshFiles.IsPicture(f.Name)).ToArray();
        var links = Links(look.State, pictures);
        var reports = new List<TextureReport>();
        var looks = new List<PictureLook>();
        var mended = new Dictionary<string, Bitmap>(StringComparer.Ordinal);
        for (int i = 0; i < pictures.Length; i++)
        {
            cancel.ThrowIfCancellationRequested();
            var file = pictures[i];
            progress?.Report(new Progress(0.5 + 0.25 * i / pictures.Length, $"looking at {file.Name}"));
            try
            {
                var seen = input.RememberPicture is { } remember ? remember(file, () => PictureLook.Of(Picture(file))) : PictureLook.Of(Picture(file));
                var uses = links.Where(l => l.File == file.Name).ToArray();
                var (kind, by) = KindOf(file.Name, uses, seen);
                var (picture, shown, newKind) = Mended(file, seen, kind, mends, changed);
                if (newKind != kind)
                    (kind, by) = (newKind, "a mend");
                reports.Add(Report(file, shown, kind, by, uses, picture, mended));
                looks.Add(shown);
                int row = files.FindIndex(f => f.Name == file.Name);
                files[row] = files[row] with { Kind = $"picture {seen.Width} × {seen.Height} px" };
            }
            catch (SourceFileException e)
            {
                int row = files.FindIndex(f => f.Name == file.Name);
                files[row] = files[row] with { Kind = "unreadable" };
                findings.Add(new Finding(Severity.Stop, "unreadable-file", file.Name, e.Message, 1));
            }
        }
        return new IntakeTextures(reports, looks, links, mended);
    }

    private static TextureReport Report(SourceFile file, PictureLook shown, TextureKind kind, string by, TextureLink[] uses, Bitmap? picture, Dictionary<string, Bitmap> mended)
    {
        string format = Path.GetExtension(file.Name).TrimStart('.').ToUpperInvariant();
        var report = new TextureReport(
            file.Name, format == "JPG" ? "JPEG" : format == "TIF" ? "TIFF" : format, shown.Width, shown.Height, shown.Bits, shown.Channels, shown.Content.Words(shown.Channels), kind, by,
            kind == TextureKind.Normal ? shown.Content.Green : null, [.. uses.Select(u => u.Material).Distinct()]);
        if (picture is null)
            return report;
        string name = Path.ChangeExtension(file.Name, picture.Bits == 32 ? ".mended.tif" : ".mended.png");
        mended.Add(name, picture);
        return report with { MendedFile = name };
    }

    private Bitmap Picture(SourceFile file) => ImageFile.Read(Bytes(file), file.Name);

    private static (TextureKind Kind, string By) KindOf(string file, TextureLink[] uses, PictureLook look)
    {
        var byName = TextureKinds.ByName(file);
        var byContent = TextureKinds.ByContent(look.Content, look.Channels);
        if (uses.Select(u => TextureKinds.BySlot(u.Slot)).FirstOrDefault(k => k != TextureKind.Unknown) is var bySlot && bySlot != TextureKind.Unknown)
        {
            // Slots for bumps take normal maps too, and only the content tells which it is.
            return bySlot == TextureKind.Height && (byContent == TextureKind.Normal || byName == TextureKind.Normal) ? (TextureKind.Normal, "its content") : (bySlot, "the material's slot");
        }
        return byName != TextureKind.Unknown ? (byName, "its name") : byContent != TextureKind.Unknown ? (byContent, "its content") : (TextureKind.Unknown, "");
    }

    private (Bitmap? Picture, PictureLook Look, TextureKind Kind) Mended(SourceFile file, PictureLook seen, TextureKind kind, Mend[] mends, int[] changed)
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
            if (mend is not (ResizeTexture or MakeNormals or UnitLength or DropAlpha))
                continue;
            var before = picture ?? Picture(file);
            picture = mend switch
            {
                ResizeTexture m when (before.Width, before.Height) != (m.Width, m.Height) => PictureOps.Resize(before, m.Width, m.Height, MeaningOf(kind, before), cancel),
                MakeNormals m => HeightToNormal.Convert(before, (float)m.Strength, m.Kernel, m.Wrap, input.GreenUp, cancel),
                UnitLength => PictureOps.UnitNormals(before),
                DropAlpha => PictureOps.DropAlpha(before),
                _ => before,
            };
            kind = mend is MakeNormals ? TextureKind.Normal : kind;
            changed[i] += ReferenceEquals(picture, before) ? 0 : 1;
        }
        return picture is null ? (null, seen, kind) : (picture, PictureLook.Of(picture), kind);
    }

    private static ColourMeaning MeaningOf(TextureKind kind, Bitmap picture) => new TextureReport("", "", 0, 0, picture.Bits, picture.Channels, "", kind, "", null, []).Meaning;

    private static List<TextureLink> Links(IntakeState state, SourceFile[] pictures)
    {
        var links = new List<TextureLink>();
        var names = pictures.Select(p => p.Name).ToArray();
        for (int m = 0; m < state.Materials.Count; m++)
        {
            string file = state.Objects.FirstOrDefault(o => o.Mesh.TriangleMaterials.AsSpan().Contains(m))?.File ?? "";
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
