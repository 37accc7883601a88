using Germinal.Core.Contact;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using NodaTime;

namespace Germinal.Core.Engine;

/// <summary>The edge of the core to the templating of messages (rule 11.1).</summary>
public interface ITemplates
{
    /// <summary>
    /// The merge fields that a step may print without a default, whatever conditions stand around them. Who has a value for
    /// each of them can be written to; for the rest <see cref="Missing"/> says it exactly. The answer never changes.
    /// </summary>
    IReadOnlyList<string> FieldsOf(Step step);

    /// <summary>
    /// The merge fields of a step that have no value for whom it is about and who reads it, and no default; empty when it can be filled.
    /// </summary>
    IReadOnlyList<string> Missing(Step step, Addressed to, Practice practice, Member? sender, Instant at);
}
