namespace Crumpet.Core.Dock;

/// <summary>How much a message of the dock matters.</summary>
public enum DockLevel
{
    /// <summary>The delivery is not taken.</summary>
    Error,

    /// <summary>It is taken, and something will not look or work as it should.</summary>
    Warning,

    /// <summary>Worth knowing.</summary>
    Note,
}

/// <summary>A message as an engine gives it.</summary>
/// <param name="Level">How much it matters.</param>
/// <param name="File">Path of the file in the delivery; empty for the delivery itself.</param>
/// <param name="Says">What is wrong, one sentence.</param>
/// <param name="Change">What to change, one sentence.</param>
public sealed record DockMessage(DockLevel Level, string File, string Says, string Change);

/// <summary>A mesh the dock took.</summary>
/// <param name="File">Path in the delivery.</param>
/// <param name="Role">asset, lod, hulls or cages.</param>
/// <param name="Objects">Objects in it.</param>
/// <param name="Triangles">Triangles of all of them.</param>
public sealed record DockMesh(string File, string Role, int Objects, int Triangles);

/// <summary>A texture the dock took.</summary>
/// <param name="File">Path in the delivery.</param>
/// <param name="Input">The input its name says; empty where it says none.</param>
/// <param name="Width">Texels.</param>
/// <param name="Height">Texels.</param>
/// <param name="Format">How it is stored.</param>
/// <param name="Levels">Its levels.</param>
/// <param name="Memory">Bytes of all levels.</param>
public sealed record DockTexture(string File, string Input, int Width, int Height, string Format, int Levels, long Memory);

/// <summary>What the dock makes of a delivery.</summary>
/// <param name="Asset">Name of the asset; empty where nothing says it.</param>
/// <param name="Meshes">Meshes it took.</param>
/// <param name="Textures">Textures it took.</param>
/// <param name="Messages">What it says, errors first.</param>
public sealed record DockVerdict(
    string Asset, IReadOnlyList<DockMesh> Meshes, IReadOnlyList<DockTexture> Textures, IReadOnlyList<DockMessage> Messages)
{
    /// <summary>Whether the delivery is taken.</summary>
    public bool IsTaken => Messages.All(m => m.Level != DockLevel.Error);
}
