using System.Security.Cryptography;
using Crumpet.Core.Imaging;
using Crumpet.Core.Pack;

namespace Crumpet.Web.Pictures;

/// <summary>Pictures that are looked at before they are made for good: small, in memory, and the latest few alone.</summary>
public sealed class LivePictures
{
    /// <summary>Longest side of one, pixels; the map viewer takes it as one tile.</summary>
    public const int Side = PackDraft.Side;

    private const int MostKept = 48;

    private readonly Lock gate = new();
    private readonly LinkedList<(string Token, Bitmap Picture)> kept = new();

    /// <summary>Keeps a picture for a while.</summary>
    /// <returns>The token it is asked for by.</returns>
    public string Add(Bitmap picture)
    {
        if (Math.Max(picture.Width, picture.Height) > Side)
            throw new ArgumentException($"A live picture has at most {Side} px a side.", nameof(picture));
        string token = Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(16));
        lock (gate)
        {
            kept.AddFirst((token, picture));
            if (kept.Count > MostKept)
                kept.RemoveLast();
        }
        return token;
    }

    /// <summary>A picture by its token; null once it is forgotten.</summary>
    public Bitmap? Find(string token)
    {
        lock (gate)
            return kept.FirstOrDefault(k => k.Token == token).Picture;
    }
}
