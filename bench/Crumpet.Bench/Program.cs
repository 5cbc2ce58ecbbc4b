using System.CommandLine;
using BenchmarkDotNet.Running;
using Crumpet.Bench;
using Crumpet.Core.Layout;

var shapes = new Argument<string>("shapes") { Description = "Part of the names of the shapes that are wanted.", DefaultValueFactory = _ => "" };
var hard = new Option<HardEdgeRule>("--hard-edges") { Description = "What hard edges are to seams." };
var turned = new Option<PackRotation>("--turned") { Description = "How islands may be turned." };
var layout = new Command("layout", "Unwrap and pack the demo's low sides and generated shapes, and print a table.") { shapes, hard, turned };
layout.SetAction(given => LayoutTable.Print(given.GetValue(shapes)!, given.GetValue(hard), given.GetValue(turned)));
var seams = new Command("seams", "Cut and flatten the same shapes without packing them, and print a table.") { shapes, hard };
seams.SetAction(given => LayoutTable.PrintSeams(given.GetValue(shapes)!, given.GetValue(hard)));
var cancel = new Command("cancel", "Cancel layouts of the same shapes at a dozen moments, and print how long the longest took to end.") { shapes };
cancel.SetAction(given => LayoutTable.PrintCancel(given.GetValue(shapes)!));
var document = new Argument<string>("document") { Description = "Markdown with a table of layouts or of textures." };
var picture = new Argument<string>("picture") { Description = "SVG to write." };
var plot = new Command("plot", "Draw the table of a document.") { document, picture };
plot.SetAction(given =>
{
    string from = given.GetRequiredValue(document), to = given.GetRequiredValue(picture);
    if (!LayoutPlot.Write(from, to) && !CompressPlot.Write(from, to))
        throw new InvalidDataException($"{from} has neither a table of layouts nor one of textures.");
});
var root = new RootCommand("Measures Crumpet; anything but these commands goes to BenchmarkDotNet.")
{
    layout, seams, cancel, plot, BakeBench.Make(), PackBench.Make(), CompressBench.Make(),
};
foreach (var command in RayCommand.Make())
    root.Subcommands.Add(command);
if (args.Length > 0 && root.Subcommands.Any(c => c.Name == args[0]))
    return root.Parse(args).Invoke();
BenchmarkSwitcher.FromAssembly(typeof(CompressionBenchmarks).Assembly).Run(args);
return 0;
