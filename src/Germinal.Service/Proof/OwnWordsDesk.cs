using Germinal.Channels.Letters;
using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Messages;
using Germinal.Core.Programs;
using Germinal.Service.Engine;
using Germinal.Service.People;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Proof;

/// <summary>A message that is to come: whose, and of which step.</summary>
/// <param name="Facts">Whom it is about.</param>
/// <param name="Program">The program's version.</param>
/// <param name="Step">The step, in its own words.</param>
/// <param name="Reader">Who reads it, where that is known already.</param>
/// <param name="Due">When it is due.</param>
public sealed record ComingMessage(PersonFacts Facts, ProgramVersion Program, Step Step, Guid? Reader, Instant Due);

/// <summary>Words that one message to one person has in the place of its step's.</summary>
public static class OwnWordsDesk
{
    /// <summary>A message of a person that has not gone, planned or only foreseen; null where there is none such.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="engine">The practice's engine.</param>
    /// <param name="person">Whom it is about.</param>
    /// <param name="touch">The touch.</param>
    /// <param name="now">Practice time.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task<ComingMessage?> FindAsync(GerminalDb db, TouchEngine engine, Guid person, Guid touch, Instant now, CancellationToken stop)
    {
        if (!(await FactsReading.LoadAsync(db, [person], stop, engine)).TryGetValue(person, out var facts))
        {
            return null;
        }

        if (await db.Touches.AsNoTracking().FirstOrDefaultAsync(t => t.Id == touch, stop) is { } row)
        {
            var program = engine.Shelf.Find(row.ProgramId, row.Version);
            var step = program.Definition.StepOf(row.StepId);
            return row.PersonId == person && row.Status is TouchStatus.Planned or TouchStatus.Blocked && step?.IsMessage == true
                ? new ComingMessage(facts, program, step, row.ReaderId, Instant.Max(row.Due, now))
                : null;
        }

        var state = await db.States.AsNoTracking().Where(s => s.PersonId == person).Select(s => s.State).FirstOrDefaultAsync(stop) is { } json
            ? PersonStateJson.Read(json)
            : PersonState.Empty;
        var found = Rehearsal.Of(engine, facts, state, now, now + Duration.FromDays(366), null, 60).FirstOrDefault(t => t.TouchId == touch);
        return found is { Step.IsMessage: true } ? new ComingMessage(facts, found.Program, found.Step, found.Reader, found.At) : null;
    }

    /// <summary>What is wrong with words for a message: they cannot be read, say nothing, or cannot be filled for whoever reads them; null where nothing is.</summary>
    public static (string Field, string Message)? Wrong(TouchEngine engine, ComingMessage message, OwnWords words)
    {
        var liquid = (LiquidLetters)engine.Templates;
        var step = message.Step.In(words);
        foreach (var (key, text) in step.Templates)
        {
            if (string.IsNullOrWhiteSpace(text))
            {
                return (key, key == "subject" ? Said("An email has a subject.") : Said("It says nothing."));
            }

            if (liquid.Problems(text) is [var problem, ..])
            {
                return (key, problem);
            }
        }

        var practice = engine.Practice.AsFor(message.Program.Definition);
        var to = Readers.Find(practice, message.Facts, step, message.Reader) ?? message.Facts;
        return liquid.Missing(step, to, practice, practice.SenderFor(message.Facts, step), message.Due) is { Count: > 0 } missing
            ? ("body", Say($"This cannot be filled for {to.Reader.Name}: {MergeFields.Say(missing)}."))
            : null;
    }

    /// <summary>Gives a message words of its own, or with null its step's again. The caller saves.</summary>
    public static async Task SetAsync(GerminalDb db, PeopleDesk desk, Guid person, Guid touch, OwnWords? words, string by, CancellationToken stop)
    {
        var row = await db.OwnWords.FirstOrDefaultAsync(w => w.TouchId == touch, stop);
        if (words is null)
        {
            if (row is null)
            {
                return;
            }

            db.OwnWords.Remove(row);
        }
        else if (row is null)
        {
            db.OwnWords.Add(
                new OwnWordsRow
                {
                    TouchId = touch,
                    PracticeId = db.PracticeId!.Value,
                    PersonId = person,
                    Subject = words.Subject,
                    Body = words.Body,
                    By = by,
                    At = desk.Now,
                }
            );
        }
        else
        {
            (row.Subject, row.Body, row.By, row.At) = (words.Subject, words.Body, by, desk.Now);
        }

        // What could not be filled may go in these words.
        db.Events.AddRange(
            desk.NewNote(person, EventKinds.Remark, ("text", words is null ? Said("A message has the words of its program again") : Said("A message has words of its own")), ("touch", touch.ToString())),
            desk.NewEvent(person, new FactsChanged(desk.Now))
        );
    }
}
