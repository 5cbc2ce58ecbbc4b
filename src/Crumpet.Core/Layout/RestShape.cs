using System.Numerics;

namespace Crumpet.Core.Layout;

/// <summary>A triangle laid flat without stretch: corner 0 in the origin, corner 1 at (X1, 0), corner 2 at (X2, Y2). Metres.</summary>
internal readonly record struct RestShape(double X1, double X2, double Y2)
{
    /// <summary>Area, square metres.</summary>
    public double Area => X1 * Y2 / 2;

    /// <summary>Lays a triangle flat; one too thin to be flattened is thickened.</summary>
    /// <param name="a">Corner 0.</param>
    /// <param name="b">Corner 1.</param>
    /// <param name="c">Corner 2.</param>
    /// <param name="leastThickness">Least height as a share of the longest edge.</param>
    public static RestShape Of(Vector3 a, Vector3 b, Vector3 c, double leastThickness)
    {
        double bx = (double)b.X - a.X, by = (double)b.Y - a.Y, bz = (double)b.Z - a.Z, cx = (double)c.X - a.X, cy = (double)c.Y - a.Y, cz = (double)c.Z - a.Z;
        double ab = Math.Sqrt(bx * bx + by * by + bz * bz), ac = Math.Sqrt(cx * cx + cy * cy + cz * cz);
        double bc = Math.Sqrt((cx - bx) * (cx - bx) + (cy - by) * (cy - by) + (cz - bz) * (cz - bz));
        double longest = Math.Max(ab, Math.Max(ac, bc));
        if (!(longest > 1e-12))
            return new RestShape(1e-12, 0.5e-12, 1e-12);
        double least = leastThickness * longest;
        double x1 = Math.Max(ab, least), x2 = (bx * cx + by * cy + bz * cz) / x1;
        double px = by * cz - bz * cy, py = bz * cx - bx * cz, pz = bx * cy - by * cx;
        return new RestShape(x1, x2, Math.Max(Math.Sqrt(px * px + py * py + pz * pz) / x1, least * longest / Math.Max(x1, least)));
    }

    /// <summary>Gradients of the three corners' linear weights.</summary>
    public (double X0, double Y0, double X1, double Y1, double X2, double Y2) Gradients()
    {
        double x1 = 1 / X1, y1 = -X2 / (X1 * Y2), y2 = 1 / Y2;
        return (-x1, -y1 - y2, x1, y1, 0, y2);
    }
}
