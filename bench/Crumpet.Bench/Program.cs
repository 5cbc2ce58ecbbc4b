using System.CommandLine;
using BenchmarkDotNet.Running;
using Crumpet.Bench;

var layout = new Command("layout", "Unwrap and pack the demo's low sides and generated shapes, and print a table.");
layout.SetAction(_ => LayoutTable.Print());
var root = new RootCommand("Measures Crumpet; anything but these commands goes to BenchmarkDotNet.") { layout, BakeBench.Make() };
foreach (var command in RayCommand.Make())
    root.Subcommands.Add(command);
if (args.Length > 0 && root.Subcommands.Any(c => c.Name == args[0]))
    return root.Parse(args).Invoke();
BenchmarkSwitcher.FromAssembly(typeof(CompressionBenchmarks).Assembly).Run(args);
return 0;
