namespace Crumpet.Core.Jobs;

/// <summary>What a job takes, decoded when it is asked for.</summary>
/// <param name="files">Its inputs.</param>
/// <param name="store">Where they are.</param>
/// <param name="cache">Keeps what is decoded.</param>
public sealed class JobInputs(IReadOnlyList<StoredFile> files, IResultStore store, ValueCache cache)
{
    private readonly Dictionary<string, StoredFile> byRole = files.ToDictionary(f => f.Name, StringComparer.Ordinal);

    /// <summary>All roles, in their order.</summary>
    public IEnumerable<string> Roles => files.Select(f => f.Name);

    /// <summary>The input of a role, or null.</summary>
    public StoredFile? Find(string role) => byRole.GetValueOrDefault(role);

    /// <summary>The input of a role.</summary>
    /// <exception cref="KeyNotFoundException">There is none.</exception>
    public StoredFile this[string role] => Find(role) ?? throw new KeyNotFoundException($"A job lacks its input {role}.");

    /// <summary>The bytes of an input.</summary>
    public byte[] Bytes(string role) => store.Load(this[role]);

    /// <summary>Opens an input that lies by itself.</summary>
    public Stream Open(string role) => this[role].Within is null ? store.Open(this[role].Sha256) : new MemoryStream(Bytes(role), writable: false);

    /// <summary>An input as what it stands for.</summary>
    /// <param name="role">Which.</param>
    /// <param name="read">Decodes it.</param>
    public T Value<T>(string role, Func<byte[], T> read)
        where T : class => cache.Get(this[role].Sha256, 2 * this[role].Bytes, () => read(Bytes(role)));

    /// <summary>Something that several inputs together stand for.</summary>
    /// <param name="what">What it is, and all it depends on beside the inputs.</param>
    /// <param name="roles">The inputs.</param>
    /// <param name="bytes">About how much room it takes.</param>
    /// <param name="make">Makes it.</param>
    public T Made<T>(string what, IEnumerable<string> roles, long bytes, Func<T> make)
        where T : class => cache.Get($"{what} {string.Join(' ', roles.Select(r => this[r].Sha256))}", bytes, make);

    /// <summary>How many inputs a list of them has: <c>name/0</c>, <c>name/1</c> and so on.</summary>
    public int Count(string name)
    {
        int count = 0;
        while (byRole.ContainsKey($"{name}/{count}"))
            count++;
        return count;
    }

    /// <summary>Roles of a list of inputs.</summary>
    public string[] List(string name) => [.. Enumerable.Range(0, Count(name)).Select(i => $"{name}/{i}")];
}
