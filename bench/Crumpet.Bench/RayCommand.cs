using System.CommandLine;
using System.Diagnostics;
using System.Numerics;
using System.Runtime.InteropServices;
using Crumpet.Core;
using Crumpet.Core.Geometry;
using Crumpet.Core.Intake;
using Crumpet.Core.Tracing;
using Crumpet.Demo;

namespace Crumpet.Bench;

/// <summary><c>rays</c>, <c>read</c>, <c>mesh</c>: measures ray casting on a mesh, and writes the same triangles and rays for another program.</summary>
internal static class RayCommand
{
    private const int MostRays = 100_000_000;

    private const int Runs = 5;
    private const int Chunk = 4096;

    public static IEnumerable<Command> Make()
    {
        var mesh = new Option<FileInfo>("--mesh") { Required = true, Description = "Mesh to trace." };
        var kind = new Option<string>("--kind") { Required = true, Description = "hemisphere or cage." };
        var rays = new Option<int>("--rays") { Required = true, Description = "How many rays." };
        var threads = new Option<int>(
            "--threads")
        { DefaultValueFactory = _ => Environment.ProcessorCount, Description = "Threads of the second measurement." };
        var dump = new Option<DirectoryInfo?>("--dump") { Description = "Folder for MESH.bin and RAYS.bin." };
        var command = new Command("rays", "Measure rays per second.") { mesh, kind, rays, threads, dump };
        command.SetAction(parsed => Run(parsed.GetRequiredValue(mesh), parsed.GetRequiredValue(kind), parsed.GetValue(rays), parsed.GetValue(threads),
            parsed.GetValue(dump)));
        var file = new Argument<FileInfo>("file") { Description = "Mesh file to read." };
        var reading = new Command("read", "Measure how fast a mesh file is read, beside counting its lines with wc -l.") { file };
        reading.SetAction(parsed => RunRead(parsed.GetRequiredValue(file)));
        var triangles = new Option<int>("--triangles") { Required = true, Description = "How many triangles, roughly." };
        var target = new Option<FileInfo>("--out") { Required = true, Description = "PLY file to write." };
        var shape = new Command("mesh", "Write a rough pebble to measure on.") { triangles, target };
        shape.SetAction(parsed => WriteMesh(parsed.GetValue(triangles), parsed.GetRequiredValue(target)));
        return [command, reading, shape];
    }

    private static int Run(FileInfo file, string kind, int count, int threads, DirectoryInfo? dump)
    {
        Bench.Within("--rays", count, 1, MostRays);
        Bench.Within("--threads", threads, 1, Bench.MostThreads);
        if (kind is not ("hemisphere" or "cage"))
            throw new ArgumentException($"--kind is '{kind}'; it must be hemisphere or cage.");
        var (positions, corners) = ReadTriangles(file);
        var rays = kind == "cage" ? RaySets.Cage(positions, corners, count) : RaySets.Hemisphere(positions, corners, count);
        if (dump is not null)
            Dump(dump, positions, corners, rays);
        double build = Median(() => Bvh.Build(positions, corners, threads).Dispose());
        using var bvh = Bvh.Build(positions, corners, threads);
        int hits = 0;
        double one = Median(() => hits = Trace(bvh, rays, 1));
        double all = Median(() => hits = Trace(bvh, rays, threads));
        var found = new Hit[count];
        double bundledOne = Median(() => RayBundles.Closest(bvh, rays, found, 1));
        double bundledAll = Median(() => RayBundles.Closest(bvh, rays, found, threads));
        var report = new
        {
            triangles = bvh.TriangleCount,
            rays = count,
            hits,
            buildSeconds = Math.Round(build, 4),
            mraysOneThread = Math.Round(count / one / 1e6, 3),
            mraysAllThreads = Math.Round(count / all / 1e6, 3),
            bundledOneThread = Math.Round(count / bundledOne / 1e6, 3),
            bundledAllThreads = Math.Round(count / bundledAll / 1e6, 3),
            threads,
        };
        return Bench.Print(report);
    }

    private static int WriteMesh(int triangles, FileInfo target)
    {
        Bench.Within("--triangles", triangles, 1000, Bench.MostTriangles);
        var mesh = Pebble.High("pebble", triangles);
        using var stream = new MemoryStream();
        PlyWriter.Write(new Scene("", [mesh], [], []), stream);
        string path = Bench.Write(target.Directory!, target.Name, stream.ToArray());
        return Bench.Print(new { path, triangles = mesh.TriangleCount });
    }

    private static int RunRead(FileInfo file)
    {
        int threads = Environment.ProcessorCount;
        int triangles = Read(file, threads).Meshes.Sum(m => m.TriangleCount);
        using var self = Process.GetCurrentProcess();
        long peak = self.PeakWorkingSet64;
        double read = Median(() => triangles = Read(file, threads).Meshes.Sum(m => m.TriangleCount));
        double count = Median(() =>
        {
            using var process = Process.Start(new ProcessStartInfo("wc", ["-l", file.FullName]) { RedirectStandardOutput = true })!;
            process.StandardOutput.ReadToEnd();
            process.WaitForExit();
        });
        var report = new
        {
            triangles,
            bytes = file.Length,
            readSeconds = Math.Round(read, 3),
            wcSeconds = Math.Round(count, 3),
            ratio = Math.Round(read / count, 1),
            megabytesPerSecond = Math.Round(file.Length / read / 1e6, 1),
            peakMemoryOverFile = Math.Round((double)peak / file.Length, 2),
            threads,
        };
        return Bench.Print(report);
    }

    private static (Vector3[] Positions, int[] Corners) ReadTriangles(FileInfo file)
    {
        return Mesh.Join(Read(file, Environment.ProcessorCount).Meshes);
    }

    private static Scene Read(FileInfo file, int threads)
    {
        using var stream = new FileStream(file.FullName, FileMode.Open, FileAccess.Read, FileShare.Read, 1, FileOptions.SequentialScan);
        return MeshFiles.Read(file.Name, stream, name =>
        {
            string path = Path.Combine(file.DirectoryName!, Path.GetFileName(name));
            return File.Exists(path) ? File.ReadAllBytes(path) : null;
        }, threads);
    }

    private static int Trace(Bvh bvh, Ray[] rays, int threads)
    {
        int hits = 0;
        int chunks = (rays.Length + Chunk - 1) / Chunk;
        Parallel.For(0, chunks, new ParallelOptions { MaxDegreeOfParallelism = threads }, chunk =>
        {
            int found = 0;
            foreach (ref var ray in rays.AsSpan(chunk * Chunk, Math.Min(Chunk, rays.Length - chunk * Chunk)))
                if (bvh.Closest(ray, out _))
                    found++;
            Interlocked.Add(ref hits, found);
        });
        return hits;
    }

    private static double Median(Action run)
    {
        run();
        var seconds = new double[Runs];
        for (int i = 0; i < Runs; i++)
        {
            var watch = Stopwatch.StartNew();
            run();
            seconds[i] = watch.Elapsed.TotalSeconds;
        }
        Array.Sort(seconds);
        return seconds[Runs / 2];
    }

    private static void Dump(DirectoryInfo folder, Vector3[] positions, int[] corners, Ray[] rays)
    {
        using var mesh = new MemoryStream();
        mesh.Write(MemoryMarshal.AsBytes((ReadOnlySpan<int>)[positions.Length, corners.Length / 3]));
        mesh.Write(MemoryMarshal.AsBytes(positions.AsSpan()));
        mesh.Write(MemoryMarshal.AsBytes(corners.AsSpan()));
        Bench.Write(folder, "MESH.bin", mesh.ToArray());
        using var file = new MemoryStream();
        file.Write(MemoryMarshal.AsBytes((ReadOnlySpan<int>)[rays.Length]));
        // Ray is eight floats in the order the format wants.
        file.Write(MemoryMarshal.AsBytes(rays.AsSpan()));
        Bench.Write(folder, "RAYS.bin", file.ToArray());
    }
}
