using System.Runtime.CompilerServices;
using F = System.Runtime.Intrinsics.Vector512<float>;
using V = System.Runtime.Intrinsics.Vector512;

namespace Crumpet.Core.Imaging.Blocks;

/// <summary>Sums over the texels of a line: of their channels and of the products of those.</summary>
internal struct LineSums
{
    public F N, X, Y, Z, W, Xx, Xy, Xz, Xw, Yy, Yz, Yw, Zz, Zw, Ww;

    /// <summary>All texels of a block.</summary>
    public static LineSums Of(ref F x, bool four)
    {
        LineSums s = default;
        F sx = F.Zero, sy = F.Zero, sz = F.Zero, xx = F.Zero, xy = F.Zero, xz = F.Zero, yy = F.Zero, yz = F.Zero, zz = F.Zero;
        for (int i = 0; i < 16; i++)
        {
            F a = Unsafe.Add(ref x, i), b = Unsafe.Add(ref x, 16 + i), c = Unsafe.Add(ref x, 32 + i);
            sx += a;
            sy += b;
            sz += c;
            xx = Lanes.Fma(a, a, xx);
            xy = Lanes.Fma(a, b, xy);
            xz = Lanes.Fma(a, c, xz);
            yy = Lanes.Fma(b, b, yy);
            yz = Lanes.Fma(b, c, yz);
            zz = Lanes.Fma(c, c, zz);
        }
        s.N = V.Create(16f);
        (s.X, s.Y, s.Z) = (sx, sy, sz);
        (s.Xx, s.Xy, s.Xz) = (xx, xy, xz);
        (s.Yy, s.Yz, s.Zz) = (yy, yz, zz);
        if (!four)
            return s;
        F sw = F.Zero, xw = F.Zero, yw = F.Zero, zw = F.Zero, ww = F.Zero;
        for (int i = 0; i < 16; i++)
        {
            var d = Unsafe.Add(ref x, 48 + i);
            sw += d;
            xw = Lanes.Fma(Unsafe.Add(ref x, i), d, xw);
            yw = Lanes.Fma(Unsafe.Add(ref x, 16 + i), d, yw);
            zw = Lanes.Fma(Unsafe.Add(ref x, 32 + i), d, zw);
            ww = Lanes.Fma(d, d, ww);
        }
        (s.W, s.Xw, s.Yw, s.Zw, s.Ww) = (sw, xw, yw, zw, ww);
        return s;
    }

    /// <summary>Those texels where a mask is set.</summary>
    public static LineSums Of(ref F x, ref F mask, bool four)
    {
        LineSums s = default;
        F n = F.Zero, sx = F.Zero, sy = F.Zero, sz = F.Zero, xx = F.Zero, xy = F.Zero, xz = F.Zero, yy = F.Zero, yz = F.Zero, zz = F.Zero;
        for (int i = 0; i < 16; i++)
        {
            var own = Unsafe.Add(ref mask, i);
            F a = Unsafe.Add(ref x, i) & own, b = Unsafe.Add(ref x, 16 + i) & own, c = Unsafe.Add(ref x, 32 + i) & own;
            n += F.One & own;
            sx += a;
            sy += b;
            sz += c;
            xx = Lanes.Fma(a, a, xx);
            xy = Lanes.Fma(a, b, xy);
            xz = Lanes.Fma(a, c, xz);
            yy = Lanes.Fma(b, b, yy);
            yz = Lanes.Fma(b, c, yz);
            zz = Lanes.Fma(c, c, zz);
        }
        (s.N, s.X, s.Y, s.Z) = (n, sx, sy, sz);
        (s.Xx, s.Xy, s.Xz) = (xx, xy, xz);
        (s.Yy, s.Yz, s.Zz) = (yy, yz, zz);
        if (!four)
            return s;
        F sw = F.Zero, xw = F.Zero, yw = F.Zero, zw = F.Zero, ww = F.Zero;
        for (int i = 0; i < 16; i++)
        {
            var d = Unsafe.Add(ref x, 48 + i) & Unsafe.Add(ref mask, i);
            sw += d;
            xw = Lanes.Fma(Unsafe.Add(ref x, i), d, xw);
            yw = Lanes.Fma(Unsafe.Add(ref x, 16 + i), d, yw);
            zw = Lanes.Fma(Unsafe.Add(ref x, 32 + i), d, zw);
            ww = Lanes.Fma(d, d, ww);
        }
        (s.W, s.Xw, s.Yw, s.Zw, s.Ww) = (sw, xw, yw, zw, ww);
        return s;
    }

    /// <summary>These less others.</summary>
    public readonly LineSums Less(in LineSums o)
    {
        LineSums s = default;
        (s.N, s.X, s.Y, s.Z, s.W) = (N - o.N, X - o.X, Y - o.Y, Z - o.Z, W - o.W);
        (s.Xx, s.Xy, s.Xz, s.Xw) = (Xx - o.Xx, Xy - o.Xy, Xz - o.Xz, Xw - o.Xw);
        (s.Yy, s.Yz, s.Yw) = (Yy - o.Yy, Yz - o.Yz, Yw - o.Yw);
        (s.Zz, s.Zw, s.Ww) = (Zz - o.Zz, Zw - o.Zw, Ww - o.Ww);
        return s;
    }

    /// <summary>The direction of greatest spread, of unit length, and minus where the mean lies along it.</summary>
    public readonly LineAxis Axis(bool four)
    {
        F share = Lanes.Inverse(N), mx = X * share, my = Y * share, mz = Z * share, mw = W * share;
        F xx = Xx - X * mx, xy = Xy - X * my, xz = Xz - X * mz, yy = Yy - Y * my, yz = Yz - Y * mz, zz = Zz - Z * mz;
        F xw = F.Zero, yw = F.Zero, zw = F.Zero, ww = F.Zero;
        if (four)
            (xw, yw, zw, ww) = (Xw - X * mw, Yw - Y * mw, Zw - Z * mw, Ww - W * mw);
        // The longest row of the covariance is never orthogonal to the axis.
        F x = xx, y = xy, z = xz, w = xw, widest = xx, wider = V.GreaterThan(yy, widest);
        widest = V.MaxNative(widest, yy);
        (x, y, z, w) = (Lanes.Select(wider, xy, x), Lanes.Select(wider, yy, y), Lanes.Select(wider, yz, z), Lanes.Select(wider, yw, w));
        wider = V.GreaterThan(zz, widest);
        widest = V.MaxNative(widest, zz);
        (x, y, z, w) = (Lanes.Select(wider, xz, x), Lanes.Select(wider, yz, y), Lanes.Select(wider, zz, z), Lanes.Select(wider, zw, w));
        if (four)
        {
            wider = V.GreaterThan(ww, widest);
            (x, y, z, w) = (Lanes.Select(wider, xw, x), Lanes.Select(wider, yw, y), Lanes.Select(wider, zw, z), Lanes.Select(wider, ww, w));
        }
        for (int round = 0; round < 4; round++)
        {
            F x2 = Lanes.Fma(xx, x, Lanes.Fma(xy, y, xz * z)), y2 = Lanes.Fma(xy, x, Lanes.Fma(yy, y, yz * z)), z2 = Lanes.Fma(xz, x, Lanes.Fma(yz, y, zz * z));
            if (four)
            {
                F w2 = Lanes.Fma(xw, x, Lanes.Fma(yw, y, Lanes.Fma(zw, z, ww * w)));
                (x2, y2, z2) = (Lanes.Fma(xw, w, x2), Lanes.Fma(yw, w, y2), Lanes.Fma(zw, w, z2));
                w = w2;
            }
            // Numbers of any size stay within what a float can hold.
            var unit = V.MaxNative(V.Abs(x2), V.MaxNative(V.Abs(y2), V.Abs(z2)));
            if (four)
                unit = V.MaxNative(unit, V.Abs(w));
            unit = Lanes.Inverse(unit);
            (x, y, z, w) = (x2 * unit, y2 * unit, z2 * unit, w * unit);
        }
        var length = Lanes.Fma(x, x, Lanes.Fma(y, y, z * z));
        if (four)
            length = Lanes.Fma(w, w, length);
        length = V.Sqrt(Lanes.Inverse(length));
        (x, y, z, w) = (x * length, y * length, z * length, w * length);
        var off = Lanes.Fma(x, mx, Lanes.Fma(y, my, z * mz));
        if (four)
            off = Lanes.Fma(w, mw, off);
        return new LineAxis { X = x, Y = y, Z = z, W = w, Off = -off };
    }
}

/// <summary>A line's direction.</summary>
internal struct LineAxis
{
    public F X, Y, Z, W, Off;
}
