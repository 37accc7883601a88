using Microsoft.AspNetCore.Identity;

namespace Germinal.Store.Rows;

/// <summary>A member of a practice who can sign in. Role: principal, adviser or assistant.</summary>
public sealed class MemberUser : IdentityUser<Guid>, IOwned
{
    public Guid PracticeId { get; set; }

    public string Name { get; set; } = "";

    public string Role { get; set; } = "adviser";
}
