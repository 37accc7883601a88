using System.CommandLine;
using Germinal.Channels;
using Germinal.Channels.Letters;
using Germinal.Channels.Mail;
using Germinal.Cli.Input;
using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Files;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using Germinal.Core.Time;
using NodaTime;

namespace Germinal.Cli.Commands;

/// <summary><c>germinal render</c>: the message as one person would get it.</summary>
internal static class RenderCommand
{
    public static Command Create()
    {
        var program = new Option<string>("--program") { Description = "the program file", Required = true };
        var step = new Option<string>("--step") { Description = "the step’s id", Required = true };
        var practice = new Option<string>("--practice") { Description = "the practice file", Required = true };
        var people = new Option<string>("--people") { Description = "the people file", Required = true };
        var person = new Option<string>("--person") { Description = "the person’s id", Required = true };
        var at = new Option<string>("--at")
        {
            Description = "when it goes out, a local time of the practice (for ages and the date)",
            DefaultValueFactory = _ => "2027-01-04T09:00",
        };
        var format = new Option<string>("--format") { Description = "eml, html or txt", DefaultValueFactory = _ => "eml" };
        format.AcceptOnlyFromAmong("eml", "html", "txt");
        var command = new Command("render", "prints the message as that person would get it") { program, step, practice, people, person, at, format };
        command.SetAction(parsed =>
            Run(
                parsed.GetRequiredValue(program),
                parsed.GetRequiredValue(step),
                parsed.GetRequiredValue(practice),
                parsed.GetRequiredValue(people),
                parsed.GetRequiredValue(person),
                parsed.GetRequiredValue(at),
                parsed.GetRequiredValue(format)
            )
        );
        return command;
    }

    private static int Run(string programPath, string stepId, string practicePath, string peoplePath, string personId, string moment, string format)
    {
        var practice = Files.Practice(practicePath);
        var reading = ProgramFile.Read(Files.Text(programPath));
        var definition = reading.Program ?? throw new InputException([.. reading.Errors.Select(e => Files.Line(programPath, e))]);
        practice = practice.AsFor(definition);
        var step =
            definition.StepOf(stepId)
            ?? throw new InputException([$"{programPath}: there is no step “{stepId}”; {string.Join(", ", definition.AllSteps.Select(s => s.Id))} are."]);
        var person =
            Files.People(peoplePath, practice).FirstOrDefault(p => p.Handle == personId)
            ?? throw new InputException([$"{peoplePath}: there is no person “{personId}”."]);
        var at = Moments.Read(moment, practice.Zone) ?? throw new InputException([$"--at: “{moment}” is not a moment; 2027-03-09T09:30 would be."]);
        if (step.Templates.Count == 0)
        {
            throw new InputException([$"{programPath}: “{stepId}” is a step of the kind {step.Kind}, which has no words."]);
        }

        var sender =
            practice.SenderFor(person, step)
            ?? throw new InputException([
                $"{programPath}: “{step.Sender}” is no member of the practice; {string.Join(", ", practice.Members.Select(m => m.Handle))} are.",
            ]);
        Console.Out.Write(
            step is EmailStep email ? Email(email, definition, person, practice, sender, at, format) : Plain(step, person, practice, sender, at, format)
        );
        return 0;
    }

    private static string Email(EmailStep step, ProgramDefinition definition, PersonFacts person, Practice practice, Member sender, Instant at, string format)
    {
        // Nobody keeps a key here: the links show their shape and lead nowhere.
        var links = new PublicLinks(new byte[32], "https://example.com");
        var touch = TouchState.IdOf(person.Id, step.Id);
        var purpose = definition.PurposeOf(step);
        var letter = new LetterWriter(new LiquidLetters(), links).Fill(step, purpose, touch, person, practice, sender, at);
        Refuse(letter.Missing, step, person);
        if (format != "eml")
        {
            return format == "html" ? letter.Html : letter.Text;
        }

        using var message = OutgoingMail.Build(letter, purpose, touch, sender, person.Name, person.Email ?? "nobody@example.com", at, practice.Zone, links);
        using var stream = new MemoryStream();
        message.WriteTo(stream, CancellationToken.None);
        return System.Text.Encoding.UTF8.GetString(stream.ToArray());
    }

    private static string Plain(Step step, PersonFacts person, Practice practice, Member sender, Instant at, string format)
    {
        if (format != "txt")
        {
            throw new InputException([$"--format: a step of the kind {step.Kind} is plain text; txt would be right."]);
        }

        var missing = new List<string>();
        var text = new LiquidLetters().FillText(step.Templates[^1].Text, person, practice, sender, at, missing);
        Refuse(missing, step, person);
        return text + "\n";
    }

    private static void Refuse(IReadOnlyList<string> missing, Step step, PersonFacts person)
    {
        if (missing.Count > 0)
        {
            throw new InputException([
                .. missing.Distinct().Select(f => $"{step.Id}: “{f}” has no value for {person.Handle}; give it one, or a default in the message."),
            ]);
        }
    }
}
