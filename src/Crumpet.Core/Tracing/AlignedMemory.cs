using System.Runtime.InteropServices;

namespace Crumpet.Core.Tracing;

/// <summary>
/// Memory outside the collector, aligned to cache lines. Pages that are never written cost nothing,
/// so a builder may ask for its worst case and use what it needs.
/// </summary>
internal sealed unsafe class AlignedMemory : SafeHandle
{
    private const int CacheLine = 64;

    /// <summary>Reserves <paramref name="bytes"/> bytes of undefined content.</summary>
    public AlignedMemory(long bytes)
        : base(IntPtr.Zero, ownsHandle: true)
    {
        SetHandle((IntPtr)NativeMemory.AlignedAlloc((nuint)Math.Max(bytes, CacheLine), CacheLine));
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
}
