using Germinal.Core.Practices;
using Germinal.Core.Programs;
using Germinal.Service.Engine;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Incoming;

/// <summary>Tells whom a letter names as the one its answers go to; whoever looks after the person sees them in any case.</summary>
public static class AnswersTo
{
    /// <summary>Tells them of one answer, once.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="person">Who answered.</param>
    /// <param name="touch">The letter; null where that cannot be told.</param>
    /// <param name="subject">The answer's subject.</param>
    /// <param name="now">Practice time.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task TellAsync(GerminalDb db, Guid person, TouchOf? touch, string subject, Instant now, CancellationToken stop)
    {
        // Few letters name anybody: a definition is read only where it does.
        if (touch is null || await DefinitionAsync(db, touch, stop) is not { } definition || Named(definition, touch.StepId) is not { } named)
        {
            return;
        }

        // The practice itself is its principals.
        var member = named == Practice.ItselfHandle ? (Guid?)null : Guid.TryParse(named, out var id) ? id : null;
        if (member is not null && await db.People.AnyAsync(p => p.Id == person && p.OwnerId == member, stop))
        {
            return;
        }

        var name = (await db.NamesAsync([person], stop)).GetValueOrDefault(person, "Somebody");
        await Notices.TellAsync(db, "answer", member, person, Say($"{name} answered “{touch.Message.Subject}”: {subject}"), $"answer/{touch.TouchId}/{now}", now, stop);
    }

    /// <summary>The version the letter went by, where it names anybody.</summary>
    private static Task<string?> DefinitionAsync(GerminalDb db, TouchOf touch, CancellationToken stop) =>
        db
            .Touches.Where(t => t.Id == touch.TouchId)
            .Join(db.ProgramVersions, t => new { t.ProgramId, t.Version }, v => new { v.ProgramId, v.Version }, (_, v) => v.Definition)
            .Where(d => d.Contains("\"replyTo\""))
            .Select(d => (string?)d)
            .FirstOrDefaultAsync(stop);

    private static string? Named(string definition, string step) => (ShelfReading.Definition(definition).StepOf(step) as EmailStep)?.ReplyTo;
}
