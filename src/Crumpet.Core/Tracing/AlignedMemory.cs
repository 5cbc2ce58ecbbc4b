using System.Runtime.InteropServices;

namespace Crumpet.Core.Tracing;

/// <summary>
/// Memory outside the collector, aligned to cache lines. Pages that are never written cost nothing,
/// so a builder may ask for its worst case and use what it needs.
/// </summary>
internal sealed unsafe partial class AlignedMemory : SafeHandle
{
    private const int CacheLine = 64;
    private const int LargePage = 2 << 20;
    private const int AdviseLargePages = 14;

    /// <summary>Reserves <paramref name="bytes"/> bytes of undefined content.</summary>
    public AlignedMemory(long bytes)
        : base(IntPtr.Zero, ownsHandle: true)
    {
        bool isLarge = bytes >= 2 * LargePage;
        SetHandle((IntPtr)NativeMemory.AlignedAlloc((nuint)Math.Max(bytes, CacheLine), (nuint)(isLarge ? LargePage : CacheLine)));
        // Rays jump about in it, and large pages save most of the misses in the table of pages. Where they are refused nothing is lost.
        if (isLarge && OperatingSystem.IsLinux())
            _ = Advise(handle, (nuint)bytes, AdviseLargePages);
    }

    /// <inheritdoc/>
    public override bool IsInvalid => handle == IntPtr.Zero;

    /// <summary>First byte.</summary>
    public byte* Pointer => (byte*)handle;

    /// <inheritdoc/>
    protected override bool ReleaseHandle()
    {
        NativeMemory.AlignedFree((void*)handle);
        return true;
    }

    // Source: Linux madvise(2), MADV_HUGEPAGE.
    [LibraryImport("libc", EntryPoint = "madvise")]
    private static partial int Advise(IntPtr address, nuint length, int advice);
}
