using BenchmarkDotNet.Running;
using Crumpet.Bench;

BenchmarkSwitcher.FromAssembly(typeof(CompressionBenchmarks).Assembly).Run(args);
