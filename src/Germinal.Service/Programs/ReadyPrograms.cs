using System.Reflection;
using Germinal.Channels.Letters;
using Germinal.Core.Engine;
using Germinal.Core.Programs;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.Letters;
using Germinal.Service.People;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Programs;

/// <summary>A program that can be taken: one that ships, or one a practice put on the shelf.</summary>
/// <param name="Key">What it is asked for by.</param>
/// <param name="File">The program file.</param>
/// <param name="Program">The same, read.</param>
/// <param name="From">The practice that put it on the shelf; null for one that ships.</param>
/// <param name="Note">What that practice says of it.</param>
/// <param name="Mine">Whether that is the practice that asks.</param>
public sealed record ReadyProgram(string Key, string File, ProgramDefinition Program, string? From, string? Note, bool Mine);

/// <summary>One step of a ready program as somebody would get it.</summary>
/// <param name="StepId">The step.</param>
/// <param name="Kind">Its kind.</param>
/// <param name="Subject">An email's subject; null for other steps.</param>
/// <param name="Html">What it says; null for a step without words.</param>
/// <param name="Page">An email's page as a mail program shows it.</param>
/// <param name="Text">Its plain text.</param>
/// <param name="Lack">What keeps it from being filled.</param>
public sealed record StepAsRead(string StepId, string Kind, string? Subject, string? Html, string? Page, string? Text, string? Lack);

/// <summary>A ready program read as somebody of one's own would get it.</summary>
public sealed record ReadyAsRead(PersonRef Person, string From, IReadOnlyList<StepAsRead> Steps);

/// <summary>The programs that can be taken, and reading them as somebody of one's own.</summary>
public sealed class ReadyPrograms(LiquidLetters liquid, LetterDesk letters)
{
    private const string Folder = "ready/";

    private static readonly Lazy<IReadOnlyList<ReadyProgram>> Shipped = new(() =>
        [
            .. Assembly
                .GetExecutingAssembly()
                .GetManifestResourceNames()
                .Where(n => n.StartsWith(Folder, StringComparison.Ordinal))
                .Order(StringComparer.Ordinal)
                .Select(ReadShipped),
        ]
    );

    private static ReadyProgram ReadShipped(string resource)
    {
        using var stream = Assembly.GetExecutingAssembly().GetManifestResourceStream(resource)!;
        using var reader = new StreamReader(stream);
        var file = reader.ReadToEnd();
        return new ReadyProgram(resource[Folder.Length..].Replace(".program", "", StringComparison.Ordinal), file, ShelfReading.Definition(file), null, null, false);
    }

    /// <summary>Those that ship.</summary>
    public static IReadOnlyList<ReadyProgram> ThatShip => Shipped.Value;

    /// <summary>Those that ship, and those practices of this installation put on the shelf, by group and name.</summary>
    public static async Task<IReadOnlyList<ReadyProgram>> AllAsync(GerminalDb db, CancellationToken stop)
    {
        var rows = await db.ReadyPrograms.AsNoTracking().OrderBy(r => r.Name).ThenBy(r => r.Id).ToListAsync(stop);
        return [.. ThatShip.Concat(rows.Select(r => OnShelf(r, db.PracticeId)))];
    }

    /// <summary>One of them; null where there is none of the key.</summary>
    public static async Task<ReadyProgram?> FindAsync(GerminalDb db, string key, CancellationToken stop)
    {
        if (ThatShip.FirstOrDefault(r => r.Key == key) is { } ships)
        {
            return ships;
        }

        return Guid.TryParse(key, out var id) && await db.ReadyPrograms.AsNoTracking().FirstOrDefaultAsync(r => r.Id == id, stop) is { } row
            ? OnShelf(row, db.PracticeId)
            : null;
    }

    private static ReadyProgram OnShelf(ReadyProgramRow row, Guid? practice) =>
        new(row.Id.ToString(), row.Definition, ShelfReading.Definition(row.Definition), row.Practice, row.Note, row.PracticeId == practice);

    /// <summary>Everything it says as somebody would get it; each message on the day it would come is not worked out, the words are.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="ready">The program.</param>
    /// <param name="person">Who; null for somebody.</param>
    /// <param name="move">With a person: above 0 the next of the list, below the one before, 0 they themselves.</param>
    /// <param name="voice">Whether it speaks as I or we; null as its file says.</param>
    /// <param name="stop">Gives up.</param>
    /// <returns>Null where there is no such person.</returns>
    public async Task<ReadyAsRead?> ReadAsync(GerminalDb db, ReadyProgram ready, Guid? person, int move, Voice? voice, CancellationToken stop)
    {
        if (await Somebody.ToReadAsAsync(db, person, move, stop) is not { } facts)
        {
            return null;
        }

        var now = await PracticeClock.NowAsync(db, stop);
        var whole = await PracticeReading.LoadAsync(db, stop);
        var practice = whole.AsFor(ready.Program) with { Voice = voice ?? ready.Program.Voice ?? whole.Voice };
        var sender = practice.SenderFor(facts);
        return new ReadyAsRead(
            new PersonRef(facts.Id, facts.Name),
            sender?.Name ?? Said("nobody"),
            [
                .. ready.Program.AllSteps.Select(step =>
                {
                    if (step is EmailStep email)
                    {
                        var read = letters.Fill(email, ready.Program.PurposeOf(email), Readers.Find(practice, facts, email, null) ?? facts, practice, sender, now);
                        return new StepAsRead(step.Id, step.Kind, read.Subject, read.Html, read.Page, read.Text, read.Lack);
                    }

                    if (step.Templates.Count == 0)
                    {
                        return new StepAsRead(step.Id, step.Kind, null, null, null, null, null);
                    }

                    var missing = new List<string>();
                    var words = liquid.FillText(step.Templates[^1].Text, facts, practice, sender, now, missing);
                    return new StepAsRead(
                        step.Id,
                        step.Kind,
                        null,
                        LetterHtml.FromBody(LetterHtml.Encode(words)),
                        null,
                        words,
                        missing.Count > 0 ? Core.Messages.MergeFields.Say(missing) : null
                    );
                }),
            ]
        );
    }
}
