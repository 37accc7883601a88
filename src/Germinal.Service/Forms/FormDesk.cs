using System.Text;
using Germinal.Core.Files;
using Germinal.Core.Forms;
using Germinal.Service.Engine;
using Germinal.Service.Letters;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Forms;

/// <summary>Writing forms: what is wrong with one here, and what it begins as.</summary>
public static class FormDesk
{
    private const int LongestSlug = 40;
    private const int Signs = 6;
    private const string Readable = "23456789abcdefghjkmnpqrstuvwxyz";

    /// <summary>What a new form asks.</summary>
    public static Form Begin(string name) =>
        new()
        {
            Name = name,
            Questions =
            [
                new FormQuestion { Id = "name", Kind = QuestionKind.Text, Ask = Said("Your first name"), Required = true, Into = new AnswerPlace("first-name") },
                new FormQuestion { Id = "last-name", Kind = QuestionKind.Text, Ask = Said("Your last name"), Into = new AnswerPlace("last-name") },
                new FormQuestion { Id = "email", Kind = QuestionKind.Email, Ask = Said("Your email address"), Required = true, Into = new AnswerPlace("email") },
                new FormQuestion { Id = "words", Kind = QuestionKind.LongText, Ask = Said("What would you like to know?") },
            ],
            InquiryWhen = ["words"],
        };

    /// <summary>A readable end of an address: the name, and a few signs that nobody guesses.</summary>
    public static string NewSlug(string name)
    {
        var words = new StringBuilder();
        foreach (var c in PersonNames.Fold(name))
        {
            if (char.IsAsciiLetterOrDigit(c))
            {
                words.Append(c);
            }
            else if (words.Length > 0 && words[^1] != '-')
            {
                words.Append('-');
            }
        }

        var head = words.ToString().Trim('-');
        head = head.Length > LongestSlug ? head[..LongestSlug].Trim('-') : head;
        var tail = System.Security.Cryptography.RandomNumberGenerator.GetString(Readable, Signs);
        return head.Length > 0 ? $"{head}-{tail}" : tail;
    }

    /// <summary>What is wrong with a form as it is written, here: its own mistakes, and what it asks for and the practice does not have.</summary>
    public static async Task<(Form? Form, IReadOnlyList<Finding> Findings)> CheckAsync(GerminalDb db, string draft, CancellationToken stop)
    {
        var reading = FormFile.Read(draft);
        if (reading.Form is not { } form)
        {
            return (null, reading.Errors);
        }

        var (practice, settings) = await PracticeReading.LoadWithSettingsAsync(db, stop);
        var letters = await LetterShelf.LoadAsync(db, stop);
        var programs = await db.Programs.AsNoTracking().Select(p => new { p.Name, p.Status }).ToListAsync(stop);
        return (form, [.. Lacks(form, practice, settings, letters.ContainsKey, name => programs.FirstOrDefault(p => p.Name == name)?.Status)]);
    }

    private static IEnumerable<Finding> Lacks(Form form, Core.Practices.Practice practice, PracticeSettings settings, Func<string, bool> letter, Func<string, string?> program)
    {
        foreach (var (question, i) in form.Questions.Select((q, i) => (q, i)))
        {
            var pointer = $"/questions/{i}";
            if (question.Into?.Field is { } field && field.StartsWith(FormWords.OwnField, StringComparison.Ordinal) && settings.OwnFields.All(f => f.Key != field[FormWords.OwnField.Length..]))
            {
                yield return new Finding($"{pointer}/into", Say($"There is no field “{field[FormWords.OwnField.Length..]}” of the practice's own."));
            }

            if (question.Consent?.Topic is { } topic && !settings.Topics.Contains(topic, StringComparer.OrdinalIgnoreCase))
            {
                yield return new Finding($"{pointer}/consent", Say($"There is no topic “{topic}”."));
            }
        }

        if (form.Topic is { } about && !settings.Topics.Contains(about, StringComparer.OrdinalIgnoreCase))
        {
            yield return new Finding("/topic", Say($"There is no topic “{about}”."));
        }

        if (form.Program is { } started && program(started) is var status && status != "on")
        {
            yield return new Finding("/program", status is null ? Say($"There is no program “{started}”.") : Say($"The program “{started}” is not switched on; nobody would be started."));
        }

        if (form.Opportunity is { } stage && !settings.HasStage(stage))
        {
            yield return new Finding("/opportunity", Say($"There is no stage “{stage}”."));
        }

        if (form.AnswerLetter is { } answer && !letter(answer))
        {
            yield return new Finding("/answerLetter", Say($"There is no letter “{answer}”."));
        }
    }
}
