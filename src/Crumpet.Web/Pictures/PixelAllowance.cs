namespace Crumpet.Web.Pictures;

/// <summary>Bounds how many bytes of decoded pictures all that is shown takes at once. What is larger than all of it waits until it is alone.</summary>
public sealed class PixelAllowance
{
    private const long Most = 2L << 30;

    private readonly Lock gate = new();
    private readonly Queue<(long Bytes, TaskCompletionSource Ready)> waiting = new();
    private long taken;

    /// <summary>Waits for room.</summary>
    /// <param name="bytes">Bytes that will be held.</param>
    /// <param name="cancel">Ends the wait early.</param>
    /// <returns>Gives the room back when disposed.</returns>
    public async Task<IDisposable> TakeAsync(long bytes, CancellationToken cancel)
    {
        bytes = Math.Min(bytes, Most);
        var ready = new TaskCompletionSource(TaskCreationOptions.RunContinuationsAsynchronously);
        lock (gate)
            waiting.Enqueue((bytes, ready));
        Admit();
        try
        {
            await ready.Task.WaitAsync(cancel);
        }
        catch (OperationCanceledException)
        {
            // Its turn may have come all the same.
            if (!ready.TrySetCanceled(cancel))
                GiveBack(bytes);
            Admit();
            throw;
        }
        return new Room(this, bytes);
    }

    private void Admit()
    {
        lock (gate)
        {
            while (waiting.TryPeek(out var next) && (next.Ready.Task.IsCanceled || taken + next.Bytes <= Most))
            {
                waiting.Dequeue();
                if (next.Ready.TrySetResult())
                    taken += next.Bytes;
            }
        }
    }

    private void GiveBack(long bytes)
    {
        lock (gate)
            taken -= bytes;
        Admit();
    }

    private sealed class Room(PixelAllowance allowance, long bytes) : IDisposable
    {
        private int isGiven;

        public void Dispose()
        {
            if (Interlocked.Exchange(ref isGiven, 1) == 0)
                allowance.GiveBack(bytes);
        }
    }
}
