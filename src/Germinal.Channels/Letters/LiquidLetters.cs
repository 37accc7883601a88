using System.Collections.Concurrent;
using System.Globalization;
using System.Text.Encodings.Web;
using Fluid;
using Fluid.Ast;
using Fluid.Values;
using Germinal.Core.Engine;
using Germinal.Core.People;
using Germinal.Core.Programs;
using Germinal.Core.Time;
using NodaTime;
using NodaTime.Text;

namespace Germinal.Channels.Letters;

/// <summary>
/// Merge fields in Liquid (rule 11.1). A field with no value and no <c>default</c> is found before anything is sent; it
/// never prints a blank.
/// </summary>
public sealed class LiquidLetters : ITemplates
{
    /// <summary>Every field a letter may name, with what it stands for.</summary>
    public static IReadOnlyList<(string Field, string Meaning)> Fields { get; } =
    [
        ("person.first_name", "their first name"),
        ("person.last_name", "their last name"),
        ("person.name", "their whole name"),
        ("person.email", "their email address"),
        ("person.stage", "the stage they stand in"),
        ("person.birthday", "their birthday, day and month"),
        ("person.age", "the age they reach this year"),
        ("sender.name", "your name"),
        ("sender.first_name", "your first name"),
        ("sender.email", "your email address"),
        ("practice.name", "the practice’s name"),
        ("practice.address", "the practice’s address"),
        ("today", "the date it goes out"),
    ];

    private static readonly FluidParser Parser = new();
    private static readonly LocalDatePattern DayAndMonth = LocalDatePattern.Create("d MMMM", CultureInfo.InvariantCulture);
    private static readonly LocalDatePattern LongDate = LocalDatePattern.Create("d MMMM uuuu", CultureInfo.InvariantCulture);
    private static readonly HtmlEncoder Html = HtmlEncoder.Create(System.Text.Unicode.UnicodeRanges.All);
    private static readonly TemplateOptions Options = MakeOptions();
    private readonly ConcurrentDictionary<string, Parsed> parsed = new(StringComparer.Ordinal);

    private sealed record Parsed(IFluidTemplate? Template, string? Error);

    /// <summary>The syntax error of a template with its line and column, and fields it names that do not exist.</summary>
    public IReadOnlyList<string> Problems(string template)
    {
        var p = Parse(template);
        if (p.Template is null)
        {
            return [p.Error!];
        }

        var names = new FieldNames();
        names.VisitTemplate(p.Template);
        var known = Fields.Select(f => f.Field).ToHashSet(StringComparer.Ordinal);
        return [.. names.Found.Where(f => !known.Contains(f)).Distinct(StringComparer.Ordinal)
            .Select(f => $"There is no field “{f}”. {Nearest(f, known)}")];
    }

    /// <inheritdoc/>
    public IReadOnlyList<string> Missing(Step step, PersonFacts person, Practice practice, Member? sender, Instant at)
    {
        var missing = new List<string>();
        foreach (var text in step switch { EmailStep e => new[] { e.Subject, e.Body }, CallStep c => [c.Script], _ => [] })
        {
            Fill(text, person, practice, sender, at, NullEncoder.Default, missing);
        }

        return [.. missing.Distinct(StringComparer.Ordinal)];
    }

    /// <summary>A template filled in as plain text. Fields without a value go to <paramref name="missing"/>.</summary>
    public string FillText(string template, PersonFacts person, Practice practice, Member? sender, Instant at, List<string> missing) =>
        Fill(template, person, practice, sender, at, NullEncoder.Default, missing);

    /// <summary>A template filled in as HTML: values are encoded, the template's own tags stay.</summary>
    public string FillHtml(string template, PersonFacts person, Practice practice, Member? sender, Instant at, List<string> missing) =>
        Fill(template, person, practice, sender, at, Html, missing);

    private string Fill(string template, PersonFacts person, Practice practice, Member? sender, Instant at, TextEncoder encoder, List<string> missing)
    {
        var p = Parse(template);
        if (p.Template is null)
        {
            missing.Add(p.Error!);
            return template;
        }

        var context = new TemplateContext(Options);
        var zone = practice.ZoneOf(person);
        var today = at.InZone(zone).Date;
        var born = person.KeyDates.FirstOrDefault(d => d.Name == "birthday")?.Date;
        context.SetValue("person", new FieldGroup("person", missing, new(StringComparer.Ordinal)
        {
            ["first_name"] = person.FirstName,
            ["last_name"] = person.LastName,
            ["name"] = string.Join(' ', new[] { person.FirstName, person.LastName }.Where(n => !string.IsNullOrEmpty(n))),
            ["email"] = person.Email,
            ["stage"] = person.Stage is { } stage ? Why.StageName(stage) : null,
            ["birthday"] = born is { } b ? DayAndMonth.Format(b.In(today.Year, practice.LeapDay)) : null,
            ["age"] = born?.YearsIn(today.Year)?.ToString(CultureInfo.InvariantCulture),
        }));
        context.SetValue("sender", new FieldGroup("sender", missing, new(StringComparer.Ordinal)
        {
            ["name"] = sender?.Name,
            ["first_name"] = sender?.Name.Split(' ')[0],
            ["email"] = sender?.Email,
        }));
        context.SetValue("practice", new FieldGroup("practice", missing, new(StringComparer.Ordinal)
        {
            ["name"] = practice.Name,
            ["address"] = practice.PostalAddress,
        }));
        context.SetValue("today", new StringValue(LongDate.Format(today)));
        return p.Template.Render(context, encoder);
    }

    private Parsed Parse(string template) => parsed.GetOrAdd(template, text =>
        Parser.TryParse(text, out var t, out var error) ? new Parsed(t, null) : new Parsed(null, Explain(text, error)));

    /// <summary>The parser's error with line and column in words.</summary>
    private static string Explain(string text, string error)
    {
        var place = System.Text.RegularExpressions.Regex.Match(error, @"\((\d+):(\d+)\)");
        var what = error.Split('\n')[0];
        what = place.Success ? what.Replace(" at " + place.Value, "", StringComparison.Ordinal) : what;
        var (line, column) = place.Success
            ? (place.Groups[1].Value, place.Groups[2].Value)
            : (text.Count(c => c == '\n') + 1 + "", (text.Length - text.LastIndexOf('\n')) + "");
        return $"Line {line}, column {column}: a merge field or tag is not complete ({what.Trim()}). A field looks like {{{{ person.first_name }}}}.";
    }

    private static string Nearest(string field, IEnumerable<string> known)
    {
        var near = known.MinBy(k => Distance(k, field))!;
        return Distance(near, field) <= 3 ? $"Did you mean “{near}”?" : "The fields menu lists those there are.";
    }

    /// <summary>Levenshtein distance.</summary>
    private static int Distance(string a, string b)
    {
        var row = Enumerable.Range(0, b.Length + 1).ToArray();
        for (var i = 1; i <= a.Length; i++)
        {
            var corner = row[0];
            row[0] = i;
            for (var j = 1; j <= b.Length; j++)
            {
                var above = row[j];
                row[j] = Math.Min(Math.Min(row[j] + 1, row[j - 1] + 1), corner + (a[i - 1] == b[j - 1] ? 0 : 1));
                corner = above;
            }
        }

        return row[b.Length];
    }

    private static TemplateOptions MakeOptions()
    {
        var options = new TemplateOptions { MaxSteps = 10_000, MaxRecursion = 20 };

        // The stock filter compares with the one nil; ours also knows a field without a value.
        options.Filters.AddFilter("default", (input, arguments, _) =>
            ValueTask.FromResult(input.Type == FluidValues.Nil || (input.Type == FluidValues.String && input.ToStringValue().Length == 0) ? arguments.At(0) : input));
        return options;
    }

    /// <summary>person, sender or practice: hands out values, and for a missing one a value that tells when it is printed.</summary>
    private sealed class FieldGroup(string name, List<string> missing, Dictionary<string, string?> values) : ObjectValueBase(values)
    {
        public override ValueTask<FluidValue> GetValueAsync(string field, TemplateContext context) =>
            ValueTask.FromResult<FluidValue>(values.TryGetValue(field, out var value) && !string.IsNullOrWhiteSpace(value)
                ? new StringValue(value)
                : new NoValue($"{name}.{field}", missing));
    }

    /// <summary>A field without a value: nil to every test, and found as soon as something would print it.</summary>
    private sealed class NoValue(string field, List<string> missing) : FluidValue
    {
        public override FluidValues Type => FluidValues.Nil;

        public override bool Equals(FluidValue? other) => other is null || other.Type == FluidValues.Nil;

        public override bool ToBooleanValue() => false;

        public override decimal ToNumberValue() => 0;

        public override object? ToObjectValue() => null;

        public override string ToStringValue()
        {
            missing.Add(field);
            return "";
        }

        public override ValueTask WriteToAsync(TextWriter writer, TextEncoder encoder, CultureInfo cultureInfo)
        {
            missing.Add(field);
            return ValueTask.CompletedTask;
        }
    }

    /// <summary>Collects the dotted names a template reads.</summary>
    private sealed class FieldNames : AstVisitor
    {
        public List<string> Found { get; } = [];

        protected override Expression VisitMemberExpression(MemberExpression memberExpression)
        {
            Found.Add(string.Join('.', memberExpression.Segments.OfType<IdentifierSegment>().Select(s => s.Identifier)));
            return base.VisitMemberExpression(memberExpression);
        }
    }
}
