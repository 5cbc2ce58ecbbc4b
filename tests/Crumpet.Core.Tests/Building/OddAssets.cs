using System.Globalization;
using System.Text;
using Crumpet.Core.Bake;
using Crumpet.Core.Building;
using Crumpet.Core.Intake;
using Crumpet.Core.Layout;
using Crumpet.Core.Pairs;

namespace Crumpet.Core.Tests.Building;

/// <summary>Assets nobody would make: coordinates that are extreme, tiny, equal or no numbers, in meshes, UVs and decisions.</summary>
/// <param name="Files">Files by name.</param>
/// <param name="Plan">Decisions that each keep to the rules.</param>
internal sealed record OddAsset(IReadOnlyDictionary<string, byte[]> Files, AssetPlan Plan)
{
    private static readonly float[] Oddities =
    [
        0, -0f, 1, float.Epsilon, -float.Epsilon, 1e-38f, 1e-20f, 1e-7f, 0.99e6f, 1e6f, 1.0001e6f, -1e6f, 1e9f, 9e18f, 1e19f, 1e30f, float.MaxValue,
            float.MinValue,
        float.PositiveInfinity, float.NegativeInfinity, float.NaN,
    ];

    /// <summary>The asset of a number; the same number gives the same one.</summary>
    public static OddAsset Of(int seed)
    {
        var random = new Random(seed);
        var files = new SortedDictionary<string, byte[]>(StringComparer.Ordinal);
        int parts = random.Next(1, 4), ending = random.Next(3);
        for (int part = 0; part < parts; part++)
        {
            // Most of the time low and high belong together, or nothing would come past Pairs.
            var low = Points(random, random.Next(7));
            var high = random.Next(3) == 0 ? Points(random, random.Next(7)) : low;
            foreach (var (side, shape) in new[] { ("low", low), ("high", high) })
            {
                string name = $"p{part}_{side}";
                files.Add($"{name}{(ending == 0 ? ".obj" : ending == 1 ? ".ply" : ".stl")}", ending switch
                {
                    0 => Obj(random, name, shape),
                    1 => Ply(random, shape),
                    _ => Stl(shape),
                });
            }
        }
        return new OddAsset(files, Decisions(random));
    }

    private sealed record Shape((float X, float Y, float Z)[] Points, (int A, int B, int C)[] Faces);

    private static Shape Points(Random random, int kind)
    {
        int n = kind == 6 ? 12 : random.Next(1, 7);
        var points = new (float X, float Y, float Z)[n * n + 2];
        var faces = new List<(int, int, int)>();
        for (int i = 0; i < points.Length; i++)
        {
            double u = i % n / (double)Math.Max(1, n - 1), v = i / n / (double)n;
            points[i] = kind switch
            {
                0 => ((float)u, 0, (float)v),
                1 => ((float)Math.Cos(6.28 * u), (float)v, (float)Math.Sin(6.28 * u)),
                2 => (random.NextSingle(), random.NextSingle(), random.NextSingle()),
                // Each a thousandth of the one before: splits by place peel them off one by one.
                3 => ((float)Math.Pow(10, 3 - i % 40), 0, (float)Math.Pow(10, -3 - i % 30)),
                4 => (1, 1, 1),
                _ => ((float)u, (float)(0.1 * Math.Sin(9 * u + 5 * v)), (float)v),
            };
        }
        for (int y = 0; y + 1 < n; y++)
            for (int x = 0; x + 1 < n; x++)
                faces.AddRange([(y * n + x, y * n + x + 1, (y + 1) * n + x), (y * n + x + 1, (y + 1) * n + x + 1, (y + 1) * n + x)]);
        faces.Add((0, points.Length - 1, points.Length / 2));
        if (random.Next(4) == 0)
            faces.Add((0, 0, points.Length - 1));
        float scale = random.Next(3) == 0 ? (float)Math.Pow(10, random.Next(-44, 38)) : 1, offset = random.Next(4) == 0 ? Oddities[random.Next(Oddities.Length)]
            : 0;
        for (int i = 0; i < points.Length; i++)
            points[i] = (points[i].X * scale + offset, points[i].Y * scale, points[i].Z * scale);
        for (int i = random.Next(3) == 0 ? random.Next(1, 5) : 0; i > 0; i--)
            points[random.Next(points.Length)] = (Oddities[random.Next(Oddities.Length)], Oddities[random.Next(Oddities.Length)], random.NextSingle());
        return new Shape(points, [.. faces]);
    }

    private static float Uv(Random random, int kind, float plain) => kind switch
    {
        0 => plain,
        1 => plain * 1e-30f,
        2 => 0.5f,
        3 => plain * (float)Math.Pow(10, random.Next(-10, 38)),
        4 => Oddities[random.Next(Oddities.Length)],
        _ => random.NextSingle() * 3 - 1,
    };

    private static byte[] Obj(Random random, string name, Shape shape)
    {
        var text = new StringBuilder().AppendLine(CultureInfo.InvariantCulture, $"o {name}");
        int uvs = random.Next(7);
        foreach (var (x, y, z) in shape.Points)
            text.AppendLine(CultureInfo.InvariantCulture, $"v {Written(x)} {Written(y)} {Written(z)}");
        for (int i = 0; i < shape.Points.Length && uvs < 6; i++)
            text.AppendLine(CultureInfo.InvariantCulture, $"vt {Written(Uv(random, uvs, i % 7 / 7f))} {Written(Uv(random, uvs, i / 7 % 7 / 7f))}");
        foreach (var (a, b, c) in shape.Faces)
            text.AppendLine(uvs < 6 ? $"f {a + 1}/{a + 1} {b + 1}/{b + 1} {c + 1}/{c + 1}" : $"f {a + 1} {b + 1} {c + 1}");
        return Encoding.ASCII.GetBytes(text.ToString());

        // What no text of a mesh holds is left to the binary formats.
        static string Written(float value) => float.IsFinite(value) ? value.ToString("R", CultureInfo.InvariantCulture) : "0";
    }

    private static byte[] Ply(Random random, Shape shape)
    {
        using var stream = new MemoryStream();
        using var writer = new BinaryWriter(stream);
        int uvs = random.Next(6);
        writer.Write(Encoding.ASCII.GetBytes(
            $"ply\nformat binary_little_endian 1.0\nelement vertex {shape.Points.Length}\nproperty float x\nproperty float y\nproperty float z\nproperty "
            + $"float s\nproperty float t\nelement face {shape.Faces.Length}\nproperty list uchar int vertex_indices\nend_header\n"));
        for (int i = 0; i < shape.Points.Length; i++)
        {
            var (x, y, z) = shape.Points[i];
            foreach (float value in (float[])[x, y, z, Uv(random, uvs, i % 7 / 7f), Uv(random, uvs, i / 7 % 7 / 7f)])
                writer.Write(value);
        }
        foreach (var (a, b, c) in shape.Faces)
        {
            writer.Write((byte)3);
            foreach (int index in (int[])[a, b, c])
                writer.Write(index);
        }
        return stream.ToArray();
    }

    private static byte[] Stl(Shape shape)
    {
        using var stream = new MemoryStream();
        using var writer = new BinaryWriter(stream);
        writer.Write(new byte[80]);
        writer.Write(shape.Faces.Length);
        foreach (var (a, b, c) in shape.Faces)
        {
            writer.Write(new byte[12]);
            foreach (var (x, y, z) in new[] { shape.Points[a], shape.Points[b], shape.Points[c] })
            {
                writer.Write(x);
                writer.Write(y);
                writer.Write(z);
            }
            writer.Write((ushort)0);
        }
        return stream.ToArray();
    }

    private static AssetPlan Decisions(Random random)
    {
        Mend[] all =
        [
            new ScaleUnits(Math.Pow(10, random.Next(-6, 7))), new ScaleUnits(1e6), new TurnUpright(), new MoveOrigin(OriginPlace.Corner),
                new MoveOrigin(OriginPlace.Point) { X = 1e6, Y = -1e6 }, new ApplyTransform(),
            new WeldPoints(random.Next(2) * random.NextDouble()), new SmoothByAngle(random.Next(0, 181)), new SoftenEdges(), new CutEdges(random.Next(257), 64),
                new DropEmptyFaces(), new DropDoubledFaces(), new DropFarFaces(), new TurnFaces(),
            new NumberNames(), new CleanNames(),
        ];
        float[] reaches = [0, 1e-6f, 0.01f, 1, 1000];
        return new AssetPlan
        {
            Mends = [.. Enumerable.Range(0, random.Next(4)).Select(_ => all[random.Next(all.Length)]).Distinct()],
            Trays = (TrayMode)random.Next(3),
            Pairs = new PairSettings { Cage = (CageKind)random.Next(3), Direction = (RayDirection)random.Next(3) },
            Layout = new LayoutSettings
            {
                Uvs = (UvSource)random.Next(2),
                Pack = random.Next(12) == 0,
                PixelsPerMetre = random.Next(4) == 0 ? Math.Pow(10, random.Next(-3, 8)) : null,
                Sheets = (SheetRule)random.Next(2),
                PaddingPixels = 1,
                SlackPercent = random.Next(8) == 0 ? 20 : 0,
            },
            Bake = new BakeSettings
            {
                Maps = BakeMap.Table.Sorted(BakeMaps.All.Where(_ => random.Next(4) == 0).Append(BakeMap.Normal)),
                Size = 32,
                Samples = 1,
                OcclusionRays = 2,
                ThicknessRays = 2,
                OutwardReachMetres = reaches[random.Next(reaches.Length)],
                InwardReachMetres = reaches[random.Next(1, reaches.Length)],
                GroundOccludes = random.Next(2) == 0,
                PaddingPixels = random.Next(-1, 4),
            },
        };
    }
}
