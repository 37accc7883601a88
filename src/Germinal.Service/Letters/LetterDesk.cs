using System.Globalization;
using Germinal.Channels.Letters;
using Germinal.Core.Contact;
using Germinal.Core.Files;
using Germinal.Core.Messages;
using Germinal.Core.Programs;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.People;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Letters;

/// <summary>A program whose steps follow a letter.</summary>
public sealed record LetterUse(Guid ProgramId, string Program, int Steps);

/// <summary>A letter filled in for somebody, in each of the ways it is read.</summary>
/// <param name="Person">Whom it is filled in for.</param>
/// <param name="From">Who signs.</param>
/// <param name="Subject">Its subject.</param>
/// <param name="Html">Its words.</param>
/// <param name="Page">The whole page a mail program shows.</param>
/// <param name="Text">Its plain text.</param>
/// <param name="Lack">What keeps it from being filled; null for nothing.</param>
/// <param name="Bytes">How large the page is.</param>
public sealed record LetterAsRead(PersonRef Person, string From, string Subject, string Html, string Page, string Text, string? Lack, int Bytes);

/// <summary>The letters a practice keeps: written, found by who uses them, read as somebody would.</summary>
public sealed class LetterDesk(LiquidLetters liquid, LetterWriter writer)
{
    /// <summary>The most letters a letter's name has.</summary>
    public const int LongestName = 80;

    /// <summary>What is wrong with a letter; empty where nothing is.</summary>
    public IReadOnlyList<Finding> Findings(string subject, string body)
    {
        var findings = new List<Finding>();
        PassageRules.In(body, "/body", findings);
        findings.AddRange(liquid.Problems(subject).Select(p => new Finding("/subject", p)));
        findings.AddRange(liquid.Problems(body).Select(p => new Finding("/body", p)));
        findings.AddRange(LetterLinks.Problems(body).Select(p => new Finding("/body", p)));
        if (WeightFinding(body) is { } heavy)
        {
            findings.Add(new Finding("/body", heavy, IsWarning: true));
        }

        return findings;
    }

    /// <summary>What is said of a letter that mail programs would cut off; null where they would not.</summary>
    public static string? WeightFinding(string body) =>
        LetterWriter.WeightOf(body) is var bytes && bytes > LetterWriter.MostBytes
            ? string.Create(
                CultureInfo.InvariantCulture,
                $"This letter is {bytes / 1000} kB; mail programs cut one off after about {LetterWriter.MostBytes / 1000} kB. Make it shorter, or lead to a page."
            )
            : null;

    /// <summary>Which programs, as they are written now or are on, follow letters; by the letter's name in lower case.</summary>
    public static async Task<ILookup<string, LetterUse>> UsesAsync(GerminalDb db, CancellationToken stop)
    {
        var drafts = await db.Programs.AsNoTracking().Where(p => p.Draft.Contains("\"letter\"")).Select(p => new { p.Id, p.Name, Text = p.Draft }).ToListAsync(stop);
        var versions = await db
            .ProgramVersions.AsNoTracking()
            .Where(v => v.Definition.Contains("\"letter\"") && (v.Version == db.Programs.Where(p => p.Id == v.ProgramId).Select(p => p.CurrentVersion).First() || db.Runs.Any(r => r.ProgramId == v.ProgramId && r.Version == v.Version && r.EndedAt == null)))
            .Join(db.Programs, v => v.ProgramId, p => p.Id, (v, p) => new { p.Id, p.Name, Text = v.Definition })
            .ToListAsync(stop);
        return drafts
            .Concat(versions)
            .SelectMany(p => Followed(p.Text).GroupBy(n => n, StringComparer.OrdinalIgnoreCase).Select(g => (p.Id, p.Name, Letter: g.Key.ToLowerInvariant(), Steps: g.Count())))
            .GroupBy(u => (u.Id, u.Letter))
            .Select(g => (g.Key.Letter, Use: new LetterUse(g.Key.Id, g.First().Name, g.Max(u => u.Steps))))
            .OrderBy(u => u.Use.Program, StringComparer.OrdinalIgnoreCase)
            .ToLookup(u => u.Letter, u => u.Use, StringComparer.OrdinalIgnoreCase);
    }

    private static IEnumerable<string> Followed(string program) =>
        (ProgramFile.Read(program).Program?.AllSteps ?? []).OfType<EmailStep>().Select(s => s.Letter).OfType<string>();

    /// <summary>Those who use a letter under its name or one it had before.</summary>
    public static IReadOnlyList<LetterUse> UsesOf(LetterRow letter, ILookup<string, LetterUse> uses) =>
        [.. letter.FormerNames.Prepend(letter.Name).SelectMany(n => uses[n]).DistinctBy(u => u.ProgramId)];

    /// <summary>Renames a letter: drafts follow it, and what is published still finds it under the name before.</summary>
    public static async Task RenameAsync(GerminalDb db, LetterRow letter, string name, CancellationToken stop)
    {
        var before = letter.Name;
        if (string.Equals(before, name, StringComparison.Ordinal))
        {
            return;
        }

        letter.Name = name;
        letter.FormerNames = [.. letter.FormerNames.Append(before).Where(f => !string.Equals(f, name, StringComparison.OrdinalIgnoreCase)).Distinct(StringComparer.OrdinalIgnoreCase)];
        foreach (var program in await db.Programs.Where(p => p.Draft.Contains("\"letter\"")).ToListAsync(stop))
        {
            program.Draft = ProgramFile.Write(ShelfReading.Definition(program.Draft).WithSteps(Renamed)).ToJsonString();
        }

        Step Renamed(Step step) =>
            step is EmailStep { Letter: { } followed } email && string.Equals(followed, before, StringComparison.OrdinalIgnoreCase) ? email with { Letter = name } : step;
    }

    /// <summary>A letter as somebody would read it.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="subject">Its subject.</param>
    /// <param name="body">Its body.</param>
    /// <param name="person">Who; null for somebody.</param>
    /// <param name="move">With a person: above 0 the next of the list, below the one before, 0 they themselves.</param>
    /// <param name="voice">Whether it speaks as I or we; null as the practice does.</param>
    /// <param name="stop">Gives up.</param>
    /// <returns>Null where there is no such person.</returns>
    public async Task<LetterAsRead?> ReadAsync(GerminalDb db, string subject, string body, Guid? person, int move, Voice? voice, CancellationToken stop)
    {
        if (await Somebody.ToReadAsAsync(db, person, move, stop) is not { } facts)
        {
            return null;
        }

        var now = await PracticeClock.NowAsync(db, stop);
        var practice = await PracticeReading.LoadAsync(db, stop);
        var step = new EmailStep
        {
            Id = "letter",
            Subject = subject,
            Body = body,
        };
        return Fill(step, Purpose.Commercial, facts, practice with { Voice = voice ?? practice.Voice }, practice.SenderFor(facts), now);
    }

    /// <summary>An email filled in for somebody, in each of the ways it is read. Its links and pictures are those of this page.</summary>
    public LetterAsRead Fill(EmailStep step, Purpose purpose, Addressed to, Core.Practices.Practice practice, Core.Practices.Member? sender, Instant at)
    {
        var filled = writer.Fill(step, purpose, Guid.Empty, to, practice, sender, at);
        string Here(string html) => html.Replace(writer.BaseUrl + "/i/", "/i/", StringComparison.Ordinal).Replace($"src=\"{writer.BaseUrl}/g/", "src=\"/g/", StringComparison.Ordinal);
        return new LetterAsRead(
            new PersonRef(to.Person.Id, to.Person.Name),
            sender?.Name ?? "nobody",
            filled.Subject,
            Here(filled.BodyHtml),
            Here(filled.Html),
            filled.Text,
            filled.Missing.Count > 0 ? MergeFields.Say(filled.Missing) : null,
            System.Text.Encoding.UTF8.GetByteCount(filled.Html)
        );
    }
}
