using Crumpet.Core.Checking;

namespace Crumpet.Core.Layout;

/// <summary>
/// Where an island was laid: moved, turned and scaled from how it lies by itself. It is found again by its first triangle, as long as
/// nothing about its surface changes.
/// </summary>
/// <param name="ObjectName">Name of its object.</param>
/// <param name="X">Middle of its first triangle, metres.</param>
/// <param name="Y">Middle of its first triangle, metres.</param>
/// <param name="Z">Middle of its first triangle, metres.</param>
/// <param name="Triangles">How many triangles it has.</param>
/// <param name="Area">Its surface, square metres.</param>
/// <param name="TurnU">Tiles along u for a unit along its own first axis.</param>
/// <param name="TurnV">Tiles along v for a unit along its own first axis.</param>
/// <param name="U">Where its own origin comes to lie, tiles.</param>
/// <param name="V">Where its own origin comes to lie, tiles.</param>
/// <param name="Sheet">Sheet, from 0.</param>
/// <param name="Cuts">Where its object is cut, on the first island of an object that was unwrapped.</param>
public sealed record LaidIsland(
    [property: Words("The object", FieldRules.LongestName)] string ObjectName,
    [property: Within("A held island's x", -1e6, 1e6, Unit = "m")] float X,
    [property: Within("A held island's y", -1e6, 1e6, Unit = "m")] float Y,
    [property: Within("A held island's z", -1e6, 1e6, Unit = "m")] float Z,
    [property: Within("A held island's triangles", 1, 1 << 28)] int Triangles,
    [property: Within("A held island's area", 0, 1e15, Unit = "m²")] double Area,
    [property: Within("A held island's turn", -1e9, 1e9)] double TurnU,
    [property: Within("A held island's turn", -1e9, 1e9)] double TurnV,
    [property: Within("A held island's place", -1e9, 1e9, Unit = "tiles")] double U,
    [property: Within("A held island's place", -1e9, 1e9, Unit = "tiles")] double V,
    [property: Within("A held island's sheet", 0, 1 << 16)] int Sheet,
    [property: Words("The cuts of an object", LaidCuts.Longest), NoneIs("cut by the rules")] string? Cuts = null);
