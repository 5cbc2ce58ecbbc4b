using System.Globalization;
using Crumpet.Core;
using Crumpet.Fuzz;

// crumpet-fuzz READER SECONDS [SEED]: feeds broken files to a reader and fails at the first input that it answers with anything
// but a result or a SourceFileException, that takes longer than five seconds, or for which it allocates beyond the limit.
// crumpet-fuzz all SECONDS [SEED]: the same with every family of readers, so long with each.
// crumpet-fuzz line SECONDS [SEED]: takes meshes with odd coordinates down the whole line.
const double LongestSeconds = 5;
const long MostBytes = 1L << 30;
if (args is ["line", .. var rest])
    return LineRun.Go(rest);
if (args.Length < 2 || !(args[0] == "all" || Readers.All.ContainsKey(args[0])))
{
    Console.Error.WriteLine($"Usage: READER|all|line SECONDS [SEED]; readers are {string.Join(", ", Readers.All.Keys)}.");
    return 2;
}
double seconds = double.Parse(args[1], CultureInfo.InvariantCulture);
ulong seed = args.Length > 2 ? ulong.Parse(args[2], CultureInfo.InvariantCulture) : 1;
(string Name, double Seconds)[] chosen = args[0] == "all" ? [.. Readers.Families.SelectMany(f => f.Select(name => (name, seconds / f.Count)))]
    : [(args[0], seconds)];
// Each is tried, so that all that is wrong is seen at once.
bool[] hold = [.. chosen.Select(c => Holds(c.Name, Readers.All[c.Name], c.Seconds, seed))];
return hold.All(h => h) ? 0 : 1;

static bool Holds(string name, FuzzedReader reader, double seconds, ulong seed)
{
    var mutator = new Mutator(seed, reader.Seeds());
    double start = Cpu(), slowest = 0;
    long inputs = 0, read = 0, mostBytes = 0;
    while (Cpu() - start < seconds)
    {
        byte[] input = mutator.Next();
        inputs++;
        double began = Cpu();
        long before = GC.GetAllocatedBytesForCurrentThread();
        string? wrong = null;
        try
        {
            reader.Read(input);
            read++;
            mutator.Keep(input);
        }
        catch (SourceFileException e)
        {
            if (e.File.Length == 0 || e.What.Length == 0 || e.WhatToDo.Length == 0)
                wrong = $"the error says too little: {e.Message}";
        }
        catch (Exception e)
        {
            wrong = e.ToString();
        }
        double took = Cpu() - began;
        long bytes = GC.GetAllocatedBytesForCurrentThread() - before;
        slowest = Math.Max(slowest, took);
        mostBytes = Math.Max(mostBytes, bytes);
        wrong ??= took > LongestSeconds ? $"took {took:0.0} s" : bytes > MostBytes ? $"allocated {bytes >> 20} MiB for {input.Length} bytes" : null;
        if (wrong is null)
            continue;
        string kept = Path.Combine(Path.GetTempPath(), $"fuzz-{name}-{inputs}.bin");
        File.WriteAllBytes(kept, input);
        Console.WriteLine($"{name}: input {inputs} ({kept}): {wrong}");
        return false;
    }
    Console.WriteLine(string.Create(CultureInfo.InvariantCulture,
        $"{name}: {inputs} inputs in {seconds:0} s, {read} of them readable, slowest {slowest:0.00} s, most allocated {mostBytes >> 20} MiB"));
    return true;
}

// Time at work, so that a run that is paused meanwhile does not look like a hang.
static double Cpu() => Environment.CpuUsage.TotalTime.TotalSeconds;
