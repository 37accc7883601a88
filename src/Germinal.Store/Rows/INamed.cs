namespace Germinal.Store.Rows;

/// <summary>What a practice keeps by a name that letters call it by.</summary>
public interface INamed : IOwned
{
    Guid Id { get; }

    string Name { get; set; }

    /// <summary>What it was called before: letters that still call it so find it.</summary>
    List<string> FormerNames { get; set; }
}
