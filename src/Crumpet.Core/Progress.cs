namespace Crumpet.Core;

/// <summary>How far a piece of work is.</summary>
/// <param name="Fraction">0 to 1.</param>
/// <param name="Doing">What is being done, in a few words.</param>
public readonly record struct Progress(double Fraction, string Doing);
