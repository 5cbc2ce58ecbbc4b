namespace Crumpet.Core.Imaging;

/// <summary>What a texture is, and what a material uses it for.</summary>
public enum TextureKind
{
    /// <summary>Not told, or anything else.</summary>
    Unknown,

    /// <summary>Colour of the surface.</summary>
    BaseColour,

    /// <summary>Tangent-space normals.</summary>
    Normal,

    /// <summary>Height, also called bump or displacement.</summary>
    Height,

    /// <summary>Roughness, alone or with metalness.</summary>
    Roughness,

    /// <summary>Metalness.</summary>
    Metalness,

    /// <summary>Ambient occlusion.</summary>
    Occlusion,

    /// <summary>Opacity.</summary>
    Opacity,

    /// <summary>Light the surface gives off.</summary>
    Emission,

    /// <summary>Flat colours that tell areas apart.</summary>
    Id,

    /// <summary>Several grey maps in one picture's channels.</summary>
    Masks,
}

/// <summary>Which way the green channel of a tangent-space normal map points.</summary>
public enum GreenDirection
{
    /// <summary>Green grows with texture v, upwards.</summary>
    Up,

    /// <summary>Green grows downwards.</summary>
    Down,
}
