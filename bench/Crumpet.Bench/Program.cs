using BenchmarkDotNet.Running;
using Crumpet.Bench;

if (args is ["layout"])
    LayoutTable.Print();
else
    BenchmarkSwitcher.FromAssembly(typeof(CompressionBenchmarks).Assembly).Run(args);
