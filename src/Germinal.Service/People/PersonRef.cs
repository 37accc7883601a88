namespace Germinal.Service.People;

/// <summary>Somebody, for a link.</summary>
public sealed record PersonRef(Guid Id, string Name);
