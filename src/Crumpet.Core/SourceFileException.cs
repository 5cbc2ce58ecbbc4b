namespace Crumpet.Core;

/// <summary>A source file that cannot be read: which file, where in it, what is wrong and what the artist can do.</summary>
public sealed class SourceFileException : Exception
{
    /// <summary>Builds the one-sentence message from its four pieces.</summary>
    /// <param name="file">File name as the artist knows it.</param>
    /// <param name="where">Line, object, accessor or byte; empty for the whole file.</param>
    /// <param name="what">What is wrong, without a full stop.</param>
    /// <param name="whatToDo">The remedy, without a full stop.</param>
    /// <param name="inner">The exception of the library that noticed, if any.</param>
    public SourceFileException(string file, string where, string what, string whatToDo, Exception? inner = null)
        : base($"{file}{(where.Length > 0 ? $", {where}" : "")}: {what}. {whatToDo}.", inner)
    {
        File = file;
        Where = where;
        What = what;
        WhatToDo = whatToDo;
    }

    /// <summary>File name.</summary>
    public string File { get; }

    /// <summary>Place inside the file; empty for the whole file.</summary>
    public string Where { get; }

    /// <summary>What is wrong.</summary>
    public string What { get; }

    /// <summary>The remedy.</summary>
    public string WhatToDo { get; }
}
