namespace Crumpet.Core.Imaging.Blocks;

/// <summary>What the compiler must know of a mode to write its loops out: a type for each.</summary>
internal interface IBc7Shape
{
    /// <summary>Lines in a block.</summary>
    static abstract int Subsets { get; }

    /// <summary>Channels on a line.</summary>
    static abstract int Channels { get; }

    /// <summary>Steps from one end of a line to the other.</summary>
    static abstract int Steps { get; }

    /// <summary>Bits of a channel of an end, without a parity bit.</summary>
    static abstract int Bits { get; }

    /// <summary>Which ends share a lowest bit.</summary>
    static abstract Bc7Parity Parity { get; }

    /// <summary>Number of the mode.</summary>
    static abstract int Mode { get; }
}

/// <summary>Which ends share a lowest bit.</summary>
internal enum Bc7Parity
{
    /// <summary>None has one.</summary>
    None,

    /// <summary>Both ends of a line have the same.</summary>
    Shared,

    /// <summary>Each end has its own.</summary>
    Own,
}

/// <summary>Three lines of eight colours.</summary>
internal readonly struct Bc7Shape0 : IBc7Shape
{
    public static int Subsets => 3;

    public static int Channels => 3;

    public static int Steps => 7;

    public static int Bits => 4;

    public static Bc7Parity Parity => Bc7Parity.Own;

    public static int Mode => 0;
}

/// <summary>Two lines of eight colours.</summary>
internal readonly struct Bc7Shape1 : IBc7Shape
{
    public static int Subsets => 2;

    public static int Channels => 3;

    public static int Steps => 7;

    public static int Bits => 6;

    public static Bc7Parity Parity => Bc7Parity.Shared;

    public static int Mode => 1;
}

/// <summary>Three lines of four colours.</summary>
internal readonly struct Bc7Shape2 : IBc7Shape
{
    public static int Subsets => 3;

    public static int Channels => 3;

    public static int Steps => 3;

    public static int Bits => 5;

    public static Bc7Parity Parity => Bc7Parity.None;

    public static int Mode => 2;
}

/// <summary>Two lines of four colours, finely rounded.</summary>
internal readonly struct Bc7Shape3 : IBc7Shape
{
    public static int Subsets => 2;

    public static int Channels => 3;

    public static int Steps => 3;

    public static int Bits => 7;

    public static Bc7Parity Parity => Bc7Parity.Own;

    public static int Mode => 3;
}

/// <summary>A line of four colours beside a channel of its own.</summary>
internal readonly struct Bc7Shape4 : IBc7Shape
{
    public static int Subsets => 1;

    public static int Channels => 3;

    public static int Steps => 3;

    public static int Bits => 5;

    public static Bc7Parity Parity => Bc7Parity.None;

    public static int Mode => 4;
}

/// <summary>The same with the finer steps on the line.</summary>
internal readonly struct Bc7Shape4Turned : IBc7Shape
{
    public static int Subsets => 1;

    public static int Channels => 3;

    public static int Steps => 7;

    public static int Bits => 5;

    public static Bc7Parity Parity => Bc7Parity.None;

    public static int Mode => 4;
}

/// <summary>A line of four colours, finely rounded, beside a channel of its own.</summary>
internal readonly struct Bc7Shape5 : IBc7Shape
{
    public static int Subsets => 1;

    public static int Channels => 3;

    public static int Steps => 3;

    public static int Bits => 7;

    public static Bc7Parity Parity => Bc7Parity.None;

    public static int Mode => 5;
}

/// <summary>One line of sixteen colours with alpha.</summary>
internal readonly struct Bc7Shape6 : IBc7Shape
{
    public static int Subsets => 1;

    public static int Channels => 4;

    public static int Steps => 15;

    public static int Bits => 7;

    public static Bc7Parity Parity => Bc7Parity.Own;

    public static int Mode => 6;
}

/// <summary>Two lines of four colours with alpha.</summary>
internal readonly struct Bc7Shape7 : IBc7Shape
{
    public static int Subsets => 2;

    public static int Channels => 4;

    public static int Steps => 3;

    public static int Bits => 5;

    public static Bc7Parity Parity => Bc7Parity.Own;

    public static int Mode => 7;
}

/// <summary>One line of sixteen colours of high range; its ends are rounded elsewhere.</summary>
internal readonly struct Bc6ShapeOne : IBc7Shape
{
    public static int Subsets => 1;

    public static int Channels => 3;

    public static int Steps => 15;

    public static int Bits => 0;

    public static Bc7Parity Parity => Bc7Parity.None;

    public static int Mode => 0;
}

/// <summary>Two lines of eight colours of high range.</summary>
internal readonly struct Bc6ShapeTwo : IBc7Shape
{
    public static int Subsets => 2;

    public static int Channels => 3;

    public static int Steps => 7;

    public static int Bits => 0;

    public static Bc7Parity Parity => Bc7Parity.None;

    public static int Mode => 0;
}
