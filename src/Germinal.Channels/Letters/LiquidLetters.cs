using System.Collections.Concurrent;
using System.Globalization;
using System.Text.Encodings.Web;
using Fluid;
using Fluid.Ast;
using Fluid.Values;
using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Messages;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using NodaTime;

namespace Germinal.Channels.Letters;

/// <summary>
/// Merge fields in Liquid (rule 11.1). A field with no value and no <c>default</c> is found before anything is sent; it
/// never prints a blank.
/// </summary>
public sealed class LiquidLetters : ITemplates
{
    private static readonly Lazy<FluidParser> Parser = new(LiquidLimits.Parser);
    private static readonly Lazy<HtmlEncoder> Html = new(() => HtmlEncoder.Create(System.Text.Unicode.UnicodeRanges.All));
    private static readonly Lazy<TemplateOptions> Options = new(LiquidLimits.Options);
    private readonly ConcurrentDictionary<string, Parsed> parsed = new(StringComparer.Ordinal);

    // A template that was refused or cannot be parsed says why; one that can fail although all its fields have a value is tried each time.
    private sealed record Parsed(IFluidTemplate? Template, string? Error, bool MayFail, IReadOnlyList<string> Names);

    /// <summary>
    /// What is wrong with a template: the syntax error with its line and column, fields that do not exist, what a letter may
    /// not do, and what goes wrong when it is filled in for somebody for whom every field is 1.
    /// </summary>
    public IReadOnlyList<string> Problems(string template)
    {
        if (IsPlain(template))
        {
            return [];
        }

        var p = Parse(template);
        if (p.Template is null)
        {
            return [p.Error!];
        }

        var unknown = p
            .Names.Where(f => !MergeFields.IsKnown(f))
            .Select(f => Say($"There is no field “{f}”. {Nearest(f, MergeFields.All.Select(k => k.Field))}"))
            .ToList();
        var tried = new List<string>();
        Render(p.Template, _ => "1", NullEncoder.Default, tried);
        return [.. unknown, .. tried.Where(MergeFields.IsSentence)];
    }

    /// <inheritdoc/>
    public IReadOnlyList<string> FieldsOf(Step step)
    {
        var parsedTemplates = step.Templates.Where(t => !IsPlain(t.Text)).Select(t => Parse(t.Text)).ToList();
        var fields = parsedTemplates.SelectMany(p => p.Names);
        var mayLack = parsedTemplates.Any(p => p.MayFail) || step is EmailStep email && (LetterPlaces.MayStandIn(email.Body) || email.Attachments.Count > 0);
        return [.. fields.Concat(mayLack ? [MergeFields.NeverKnown] : []).Distinct(StringComparer.Ordinal)];
    }

    /// <inheritdoc/>
    public IReadOnlyList<string> Missing(Step step, Addressed to, Practice practice, Member? sender, Instant at)
    {
        var missing = new List<string>();
        if (step is EmailStep email)
        {
            // Where public pages are makes no difference to what is missing.
            step = LetterPlaces.For(email, to.Person, practice, at, "");
            missing.AddRange(MissingFiles(email, practice));
        }

        foreach (var template in step.Templates)
        {
            var text = step is EmailStep ? ForReader(template.Text, to, practice, at) : template.Text;
            missing.AddRange(LetterPlaces.TakeLacking(text).Lacking);
            Fill(text, to, practice, sender, at, NullEncoder.Default, missing);
        }

        return [.. missing.Distinct(StringComparer.Ordinal)];
    }

    /// <summary>Files that an email is to carry and the practice does not keep, as sentences.</summary>
    internal static IEnumerable<string> MissingFiles(EmailStep email, Practice practice) =>
        practice.Kept is { } kept ? email.Attachments.Where(a => !kept.Files.ContainsKey(a)).Select(a => Say($"There is no file “{a}”.")) : [];

    private readonly ConcurrentDictionary<string, (string Marked, LetterPassages Passages)> marked = new(StringComparer.Ordinal);

    /// <summary>The words of a letter that stand for somebody: what lacks in a passage they do not get keeps nothing back.</summary>
    private string ForReader(string body, Addressed to, Practice practice, Instant at)
    {
        if (!LetterPassages.MayStandIn(body))
        {
            return body;
        }

        if (marked.Count > MostKept)
        {
            marked.Clear();
        }

        var (text, passages) = marked.GetOrAdd(body, static b => LetterPassages.Mark(LetterPassages.WithoutMarks(b)));
        return LetterPassages.Cut(text, passages.StandFor(to.Person, practice, at));
    }

    /// <summary>A template filled in as plain text. Fields without a value go to <paramref name="missing"/>.</summary>
    public string FillText(string template, Addressed to, Practice practice, Member? sender, Instant at, List<string> missing) =>
        Fill(template, to, practice, sender, at, NullEncoder.Default, missing);

    /// <summary>A template filled in as HTML: values are encoded, the template's own tags stay.</summary>
    public string FillHtml(string template, Addressed to, Practice practice, Member? sender, Instant at, List<string> missing) =>
        Fill(template, to, practice, sender, at, Html.Value, missing);

    /// <summary>A template as it reads for many: what differs from one reader to the next is “…”. One that cannot be parsed stands as it is.</summary>
    public string Pattern(string template) => IsPlain(template) || Parse(template).Template is not { } parts ? template : Render(parts, _ => "…", NullEncoder.Default, []);

    private string Fill(string template, Addressed to, Practice practice, Member? sender, Instant at, TextEncoder encoder, List<string> missing)
    {
        if (IsPlain(template))
        {
            return template;
        }

        var p = Parse(template);
        if (p.Template is null)
        {
            missing.Add(p.Error!);
            return template;
        }

        using var spoken = practice.TongueOf(to.Reader).Speak();
        return Render(p.Template, field => MergeFields.ValueOf(field, to, practice, sender, at), encoder, missing);
    }

    /// <summary>
    /// A template filled in; never throws for what a template does. One that goes wrong is a sentence among
    /// <paramref name="missing"/>, and nothing is printed of it.
    /// </summary>
    private static string Render(IFluidTemplate template, Func<string, string?> valueOf, TextEncoder encoder, List<string> missing)
    {
        var context = new TemplateContext(Options.Value);
        foreach (var group in new[] { "person", "to", "household", "sender", "practice" })
        {
            context.SetValue(group, new FieldGroup(group, valueOf, missing));
        }

        context.SetValue("today", new StringValue(valueOf("today")!));
        context.SetValue("voice", new StringValue(valueOf("voice")!));
        context.SetValue("confirm_link", new StringValue(valueOf("confirm_link")!));
        LiquidLimits.Begin(context);
        using var writer = new LimitedWriter(context);
        try
        {
            template.RenderAsync(writer, encoder, context).AsTask().GetAwaiter().GetResult();
            return writer.ToString();
        }
#pragma warning disable CA1031 // Whatever a template does is a finding about the template.
        catch (Exception e)
#pragma warning restore CA1031
        {
            missing.Add(LiquidLimits.Explain(e));
            return "";
        }
    }

    /// <summary>Nothing to fill in: such a text needs no template engine, which takes a while to get going.</summary>
    private static bool IsPlain(string template) => !template.Contains("{{", StringComparison.Ordinal) && !template.Contains("{%", StringComparison.Ordinal);

    // More than a practice has templates; what is typed is a template with each letter, and would be kept for ever.
    private const int MostKept = 5_000;

    private Parsed Parse(string template)
    {
        if (parsed.Count > MostKept)
        {
            parsed.Clear();
        }

        return parsed.GetOrAdd(
            template,
            static text =>
                LiquidLimits.ProblemOf(text) is { } problem ? new Parsed(null, problem, true, [])
                : !Parser.Value.TryParse(text, out var template, out var error) ? new Parsed(null, Explain(text, error), true, [])
                : LiquidLimits.LookAt(template) is var (refused, mayFail) && refused is not null ? new Parsed(null, refused, true, [])
                : new Parsed(LiquidLimits.Encoded(template), null, mayFail, [.. NamesIn(template)])
        );
    }

    /// <summary>The parser's error with line and column in words.</summary>
    private static string Explain(string text, string error)
    {
        var place = System.Text.RegularExpressions.Regex.Match(error, @"\(([0-9]+):([0-9]+)\)", System.Text.RegularExpressions.RegexOptions.NonBacktracking);
        var what = error.Split('\n')[0];
        what = place.Success ? what.Replace(" at " + place.Value, "", StringComparison.Ordinal) : what;
        var (line, column) = place.Success
            ? (place.Groups[1].Value, place.Groups[2].Value)
            : (text.Count(c => c == '\n') + 1 + "", (text.Length - text.LastIndexOf('\n')) + "");
        return Say($"Line {line}, column {column}: a merge field or tag is not complete ({what.Trim()}). A field looks like {{{{ person.first_name }}}}.");
    }

    private static string Nearest(string field, IEnumerable<string> known)
    {
        var near = known.MinBy(k => Distance(k, field))!;
        return Distance(near, field) <= 3 ? Say($"Did you mean “{near}”?") : Said("The fields menu lists those there are.");
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

    /// <summary>person, sender, practice or person.custom: hands out values, and for a missing one a value that tells when it is printed.</summary>
    private sealed class FieldGroup(string name, Func<string, string?> valueOf, List<string> missing) : ObjectValueBase(name)
    {
        public override ValueTask<FluidValue> GetValueAsync(string field, TemplateContext context)
        {
            var whole = $"{name}.{field}";
            if (whole + "." == MergeFields.CustomPrefix)
            {
                return ValueTask.FromResult<FluidValue>(new FieldGroup(whole, valueOf, missing));
            }

            return ValueTask.FromResult<FluidValue>(
                valueOf(whole) is { } value && !string.IsNullOrWhiteSpace(value) ? new StringValue(value) : new NoValue(whole, missing)
            );
        }
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

    private static IEnumerable<string> NamesIn(IFluidTemplate template)
    {
        var names = new FieldNames();
        names.VisitTemplate(template);
        return names.Found.Where(f => !names.Own.Contains(f.Split('.')[0])).Distinct(StringComparer.Ordinal);
    }

    /// <summary>Collects the dotted names a template reads, and those it gives itself.</summary>
    private sealed class FieldNames : AstVisitor
    {
        public List<string> Found { get; } = [];

        public HashSet<string> Own { get; } = new(StringComparer.Ordinal);

        protected override Expression VisitMemberExpression(MemberExpression memberExpression)
        {
            Found.Add(string.Join('.', memberExpression.Segments.Select(NameOf).TakeWhile(n => n is not null)));
            return base.VisitMemberExpression(memberExpression);
        }

        /// <summary>A name, or one written in brackets; null for one that is worked out.</summary>
        private static string? NameOf(MemberSegment segment) =>
            segment switch
            {
                IdentifierSegment named => named.Identifier,
                IndexerSegment { Expression: LiteralExpression { Value: StringValue written } } => written.ToStringValue(),
                _ => null,
            };

        protected override Statement VisitForStatement(ForStatement forStatement)
        {
            Own.UnionWith([forStatement.Identifier, "forloop"]);
            return base.VisitForStatement(forStatement);
        }

        protected override Statement VisitAssignStatement(AssignStatement assignStatement)
        {
            Own.Add(assignStatement.Identifier);
            return base.VisitAssignStatement(assignStatement);
        }

        protected override Statement VisitCaptureStatement(CaptureStatement captureStatement)
        {
            Own.Add(captureStatement.Identifier);
            return base.VisitCaptureStatement(captureStatement);
        }
    }
}
