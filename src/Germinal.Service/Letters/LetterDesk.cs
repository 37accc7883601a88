using Germinal.Channels.Letters;
using Germinal.Core.Contact;
using Germinal.Core.Files;
using Germinal.Core.Messages;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.People;
using Germinal.Service.Programs;
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
    /// <param name="subject">Its subject.</param>
    /// <param name="body">Its body.</param>
    /// <param name="kept">What it may take from.</param>
    /// <param name="today">The date, in the practice's zone.</param>
    public IReadOnlyList<Finding> Findings(string subject, string body, KeptThings kept, LocalDate today)
    {
        var findings = new List<Finding>();
        findings.AddRange(PlaceFindings(body, kept, today, "/body"));
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

    /// <summary>Offers, figures and forms a letter takes that are not there, and offers that are over.</summary>
    /// <param name="body">Its body.</param>
    /// <param name="kept">What it may take from.</param>
    /// <param name="today">The date, in the practice's zone.</param>
    /// <param name="pointer">Where findings stand.</param>
    public static IEnumerable<Finding> PlaceFindings(string body, KeptThings kept, LocalDate today, string pointer)
    {
        foreach (var (part, name) in LetterPlaces.In(body))
        {
            if (part == LetterParts.Figures)
            {
                if (!kept.Figures.ContainsKey(name))
                {
                    yield return new Finding(pointer, Say($"There are no figures “{name}”. Bring them in under Letters, Figures, or take them out here."));
                }
            }
            else if (part == LetterParts.Form)
            {
                if (!kept.Forms.ContainsKey(name))
                {
                    yield return new Finding(pointer, Say($"{LetterPlaces.NoForm(name)} Show it under Inquiries, Forms, or take it out here."));
                }
            }
            else if (!kept.Offers.TryGetValue(name, out var offer))
            {
                yield return new Finding(pointer, Say($"There is no offer “{name}”. Write it under Letters, Offers, or take it out here."));
            }
            else if (OfferPlace.Of(kept.Offers, name, today) is { Shown: var shown, Lack: var lack } && shown != offer)
            {
                yield return new Finding(
                    pointer,
                    lack ?? (shown is null ? Say($"The offer “{name}” does not stand today and is left out.") : Say($"The offer “{name}” does not stand today; “{shown.Name}” is shown in its place.")),
                    IsWarning: true
                );
            }
        }
    }

    /// <summary>Files an email is to carry that are not there, or are too large together.</summary>
    public static IEnumerable<Finding> FileFindings(EmailStep email, KeptThings kept, string pointer)
    {
        foreach (var name in email.Attachments.Where(a => !kept.Files.ContainsKey(a)))
        {
            yield return new Finding(pointer, Say($"There is no file “{name}”. Bring it in under Letters, Files, or take it off this letter."));
        }

        var bytes = email.Attachments.Select(a => kept.Files.GetValueOrDefault(a)).OfType<KeptFile>().Distinct().Sum(f => (long)f.Bytes);
        if (bytes > KeptFile.MostBytes)
        {
            yield return new Finding(
                pointer,
                Say($"Its files are {bytes / 1048576d:0.0} MB together; {KeptFile.MostBytes / 1048576} MB is the most. Lead to one of them by a link instead.")
            );
        }
    }

    /// <summary>What is said of a letter that mail programs would cut off; null where they would not.</summary>
    public static string? WeightFinding(string body) =>
        LetterWriter.WeightOf(body) is var bytes && bytes > LetterWriter.MostBytes
            ? Say($"This letter is {bytes / 1000} kB; mail programs cut one off after about {LetterWriter.MostBytes / 1000} kB. Make it shorter, or lead to a page.")
            : null;

    /// <summary>Which programs, as they are written now or are on, follow letters; by the letter's name in lower case.</summary>
    public static async Task<ILookup<string, LetterUse>> UsesAsync(GerminalDb db, CancellationToken stop)
    {
        var texts = await ProgramTexts.AllAsync(db, stop);
        return texts
            .Where(p => p.Text.Contains("\"letter\"", StringComparison.Ordinal))
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

    /// <summary>A text filled in for somebody, as long as it is sent.</summary>
    public string Fill(TextStep step, PersonFacts person, Practice practice, Instant at) =>
        writer.AsLongAsSent(liquid.FillText(step.Body, person, practice, practice.SenderFor(person, step), at, []));

    /// <summary>An email filled in for somebody, in each of the ways it is read. Its links and pictures are those of this page.</summary>
    public LetterAsRead Fill(EmailStep step, Purpose purpose, Addressed to, Core.Practices.Practice practice, Core.Practices.Member? sender, Instant at)
    {
        var filled = writer.Fill(step, purpose, Guid.Empty, to, practice, sender, at);
        string Here(string html) => html.Replace(writer.BaseUrl + "/i/", "/i/", StringComparison.Ordinal).Replace($"src=\"{writer.BaseUrl}/g/", "src=\"/g/", StringComparison.Ordinal);
        return new LetterAsRead(
            new PersonRef(to.Person.Id, to.Person.Name),
            sender?.Name ?? Said("nobody"),
            filled.Subject,
            Here(filled.BodyHtml),
            Here(filled.Html),
            filled.Text,
            filled.Missing.Count > 0 ? MergeFields.Say(filled.Missing) : null,
            System.Text.Encoding.UTF8.GetByteCount(filled.Html)
        );
    }
}
