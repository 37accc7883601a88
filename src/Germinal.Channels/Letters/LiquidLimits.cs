using System.Diagnostics;
using System.Globalization;
using System.Text;
using System.Text.Encodings.Web;
using System.Text.RegularExpressions;
using Fluid;
using Fluid.Ast;
using Fluid.Values;

namespace Germinal.Channels.Letters;

/// <summary>A template asked for more than a letter may take; the message says what in a sentence.</summary>
public sealed class LiquidLimitException(string message) : Exception(message);

/// <summary>
/// What a template may do, so that none can use up processor, memory or stack, whoever wrote it. There is no way of stopping a
/// thread from outside in .NET; therefore every single thing a template can do is small (tags and filters are those of a
/// list, numbers of a range stand in it, strings and lists have a length), and between them steps, output and time are counted.
/// </summary>
internal static partial class LiquidLimits
{
    /// <summary>Characters of a template.</summary>
    public const int Template = 200_000;

    /// <summary>Characters of what it makes; a mail of 100 kB is cut off by some mail programs.</summary>
    public const int Output = 200_000;

    /// <summary>Characters of any value on the way there.</summary>
    public const int Value = 20_000;

    /// <summary>Items of a list, and numbers of a range.</summary>
    public const int Items = 1_000;

    /// <summary>Statements carried out.</summary>
    public const int Steps = 5_000;

    private const int Tags = 1_000;
    private const int TagLength = 500;
    private const int Nesting = 20;
    private const int Pattern = 50;

    /// <summary>How long one template may take to be filled. It takes microseconds; a machine that is busy is no reason to refuse it.</summary>
    public static readonly TimeSpan Time = TimeSpan.FromSeconds(5);

    private static readonly string[] AllowedTags = ["if", "unless", "case", "for", "assign", "capture", "comment", "raw", "break", "continue"];

    // Those of the Liquid language that cannot undo the encoding of values and whose results have a bound.
    private static readonly string[] AllowedFilters =
    [
        "abs",
        "append",
        "at_least",
        "at_most",
        "capitalize",
        "ceil",
        "compact",
        "date",
        "default",
        "divided_by",
        "downcase",
        "escape",
        "first",
        "floor",
        "join",
        "last",
        "lstrip",
        "minus",
        "modulo",
        "newline_to_br",
        "plus",
        "prepend",
        "remove",
        "remove_first",
        "replace",
        "replace_first",
        "reverse",
        "round",
        "rstrip",
        "size",
        "slice",
        "sort",
        "split",
        "strip",
        "strip_html",
        "strip_newlines",
        "times",
        "truncate",
        "truncatewords",
        "uniq",
        "upcase",
        "url_encode",
        "we",
    ];

    // What cannot fail, whatever the value is: a template of nothing else need not be tried on each person.
    private static readonly string[] SureFilters = ["capitalize", "default", "downcase", "escape", "lstrip", "newline_to_br", "rstrip", "strip", "upcase", "we"];

    [GeneratedRegex("[0-9]{3,}", RegexOptions.NonBacktracking)]
    private static partial Regex LongNumber();

    /// <summary>A parser that knows the allowed tags only.</summary>
    public static FluidParser Parser()
    {
        var parser = new FluidParser();
        foreach (var tag in parser.RegisteredTags.Keys.Except(AllowedTags, StringComparer.Ordinal).ToList())
        {
            parser.RegisteredTags.Remove(tag);
        }

        return parser;
    }

    /// <summary>Options whose filters are the allowed ones, each with a bound on what goes in and comes out.</summary>
    public static TemplateOptions Options()
    {
        var options = new TemplateOptions
        {
            MaxSteps = Steps,
            MaxRecursion = Nesting,
            CultureInfo = CultureInfo.InvariantCulture,
        };
        var standard = options.Filters.ToDictionary(f => f.Key, f => f.Value, StringComparer.Ordinal);
        options.Filters.Clear();
        foreach (var name in AllowedFilters)
        {
            var filter = Own(name) ?? standard[name];
            options.Filters.AddFilter(
                name,
                (input, arguments, context) =>
                {
                    Spend(context);
                    HoldArguments(name, input, arguments);
                    var result = filter(input, arguments, context);
                    return result.IsCompletedSuccessfully
                        ? ValueTask.FromResult(Held(result.Result))
                        : throw new LiquidLimitException(Say($"The filter “{name}” does not come to an end."));
                }
            );
        }

        options.Assigned = (_, value, context) =>
        {
            Spend(context);
            return ValueTask.FromResult(Held(value));
        };
        options.Captured = (_, value, context) =>
        {
            Spend(context);
            return ValueTask.FromResult(Held(value));
        };
        return options;
    }

    /// <summary>What is wrong with a template before it is parsed; a parser, too, must not be led into the depths.</summary>
    public static string? ProblemOf(string template)
    {
        if (template.Length > Template)
        {
            return Say($"It is longer than {Template.ToString("N0", CultureInfo.InvariantCulture)} characters.");
        }

        var (tags, depth) = (0, 0);
        for (var at = NextTag(template, 0); at >= 0; at = NextTag(template, at + 2))
        {
            var closing = template[at + 1] == '{' ? "}}" : "%}";
            var end = template.IndexOf(closing, at + 2, StringComparison.Ordinal);
            if ((end < 0 ? template.Length : end) - at > TagLength)
            {
                return Say($"A merge field or tag is longer than {TagLength} characters, or not closed: “{template.Substring(at, 20)}…”.");
            }

            if (++tags > Tags)
            {
                return Say($"It has more than {Tags} merge fields and tags.");
            }

            if (closing == "%}" && end > 0)
            {
                var word = template[(at + 2)..end].TrimStart('-', ' ').Split(' ', 2)[0];
                depth +=
                    word.StartsWith("end", StringComparison.Ordinal) ? -1
                    : word is "if" or "unless" or "case" or "for" or "capture" or "comment" or "raw" ? 1
                    : 0;
                if (depth > Nesting)
                {
                    return Say($"Its tags stand more than {Nesting} deep in each other.");
                }
            }
        }

        return null;
    }

    /// <summary>
    /// What is wrong with a template that could be parsed (filters there are none of, ranges that are too long or not written
    /// out), and whether filling it can fail although every field has a value.
    /// </summary>
    public static (string? Problem, bool MayFail) LookAt(IFluidTemplate template)
    {
        var looking = new Looking();
        looking.VisitTemplate(template);
        return (looking.Problem, looking.MayFail);
    }

    /// <summary>The template with every value printed as a text, so that each is encoded: a list prints its items as they are.</summary>
    public static IFluidTemplate Encoded(IFluidTemplate template) => new PrintingText().VisitTemplate(template);

    /// <summary>Notes in a context when it has to be done.</summary>
    public static void Begin(TemplateContext context) =>
        context.AmbientValues["until"] = Stopwatch.GetTimestamp() + (long)(Time.TotalSeconds * Stopwatch.Frequency);

    /// <summary>Ends a template that takes too long.</summary>
    public static void Spend(TemplateContext context)
    {
        if (context.AmbientValues.TryGetValue("until", out var until) && Stopwatch.GetTimestamp() > (long)until)
        {
            throw new LiquidLimitException(Said("It takes too long to work out."));
        }
    }

    /// <summary>Why filling failed, in a sentence about the text.</summary>
    public static string Explain(Exception error) =>
        error switch
        {
            LiquidLimitException e => e.Message,
            DivideByZeroException => Said("It divides by zero."),
            OverflowException => Said("It works out a number that is too large."),
            InvalidOperationException => Say($"It takes more than {Steps.ToString("N0", CultureInfo.InvariantCulture)} steps to work out."),
            _ => Say($"It cannot be worked out: {error.Message.TrimEnd('.')}."),
        };

    private static int NextTag(string template, int from)
    {
        for (var at = template.IndexOf('{', from); at >= 0 && at + 1 < template.Length; at = template.IndexOf('{', at + 1))
        {
            if (template[at + 1] is '{' or '%')
            {
                return at;
            }
        }

        return -1;
    }

    private static void HoldArguments(string name, FluidValue input, FilterArguments arguments)
    {
        Held(input);
        var (subject, longest) = (LengthOf(input), 0L);
        for (var i = 0; i < arguments.Count; i++)
        {
            longest = Math.Max(longest, LengthOf(Held(arguments.At(i))));
        }

        if (name is "replace" or "join" && (subject + 1) * (longest + 1) > 50L * Value)
        {
            throw new LiquidLimitException(Say($"The filter “{name}” would make a text that is too long."));
        }

        if (name == "date" && arguments.Count > 0 && (LengthOf(arguments.At(0)) > Pattern || LongNumber().IsMatch(arguments.At(0).ToStringValue())))
        {
            throw new LiquidLimitException(Said("The pattern of a date is too long."));
        }
    }

    private static long LengthOf(FluidValue value) =>
        value switch
        {
            StringValue s => s.ToStringValue().Length,
            ArrayValue a => a.Values.Sum(v => v is StringValue s ? s.ToStringValue().Length : 20L),
            _ => 20,
        };

    /// <summary>The value, if it is not too long; a string always as one that is encoded when it is printed.</summary>
    private static FluidValue Held(FluidValue value)
    {
        if (value is ArrayValue list && list.Values.Count > Items)
        {
            throw new LiquidLimitException(Say($"It makes a list of more than {Items} items."));
        }

        if (LengthOf(value) > (value is ArrayValue ? 10 * Value : Value))
        {
            throw new LiquidLimitException(Say($"It makes a text of more than {Value.ToString("N0", CultureInfo.InvariantCulture)} characters on the way."));
        }

        return value is StringValue { Encode: false } text ? new StringValue(text.ToStringValue()) : value;
    }

    /// <summary>Filters that do otherwise than the stock ones.</summary>
    private static FilterDelegate? Own(string name) =>
        name switch
        {
            // The stock filter compares with the one nil; ours also knows a field without a value.
            "default" => (input, arguments, _) =>
                ValueTask.FromResult(
                    input.Type == FluidValues.Nil || (input.Type == FluidValues.String && input.ToStringValue().Length == 0) ? arguments.At(0) : input
                ),

            // Everything is encoded as it is printed; encoding it before would show.
            "escape" => (input, _, _) => ValueTask.FromResult(input),
            // Words for one who speaks as I, and for several who speak as we (rule 11.4).
            "we" => (input, arguments, context) =>
                ValueTask.FromResult(context.GetValue("voice").ToStringValue() == "we" && arguments.Count > 0 ? arguments.At(0) : input),
            "newline_to_br" => (input, _, _) => ValueTask.FromResult<FluidValue>(new Broken(input.ToStringValue())),
            _ => null,
        };

    /// <summary>Lines parted by breaks where HTML is made, and as they are where text is: the only value that prints a tag.</summary>
    private sealed class Broken(string text) : FluidValue
    {
        public override FluidValues Type => FluidValues.String;

        public override bool Equals(FluidValue? other) => other is not null && other.ToStringValue() == text;

        public override bool ToBooleanValue() => true;

        public override decimal ToNumberValue() => 0;

        public override object? ToObjectValue() => text;

        public override string ToStringValue() => text;

        public override async ValueTask WriteToAsync(TextWriter writer, TextEncoder encoder, CultureInfo cultureInfo)
        {
            var first = true;
            foreach (var line in text.ReplaceLineEndings("\n").Split('\n'))
            {
                await writer.WriteAsync(
                    first ? ""
                    : encoder is HtmlEncoder ? "<br>"
                    : "\n"
                );
                await writer.WriteAsync(encoder.Encode(line));
                first = false;
            }
        }
    }

    private sealed class PrintingText : AstRewriter
    {
        protected override Statement VisitOutputStatement(OutputStatement outputStatement) => new OutputStatement(new AsText(outputStatement.Expression));

        private sealed class AsText(Expression printed) : Expression
        {
            public override async ValueTask<FluidValue> EvaluateAsync(TemplateContext context) =>
                await printed.EvaluateAsync(context) is var value && value is ArrayValue list
                    ? new StringValue(string.Concat(list.Values.Select(v => v.ToStringValue())))
                    : value;
        }
    }

    private sealed class Looking : AstVisitor
    {
        public string? Problem { get; private set; }

        public bool MayFail { get; private set; }

        protected override Expression VisitFilterExpression(FilterExpression filterExpression)
        {
            if (!AllowedFilters.Contains(filterExpression.Name, StringComparer.Ordinal))
            {
                Problem ??= Say($"There is no filter “{filterExpression.Name}”; {string.Join(", ", AllowedFilters)} are what there is.");
            }

            MayFail |= !SureFilters.Contains(filterExpression.Name, StringComparer.Ordinal);
            return base.VisitFilterExpression(filterExpression);
        }

        protected override Expression VisitRangeExpression(RangeExpression rangeExpression)
        {
            MayFail = true;
            if (Number(rangeExpression.From) is not { } from || Number(rangeExpression.To) is not { } to || to - from > Items)
            {
                Problem ??= Say($"A range needs both of its numbers written out, with at most {Items} between them: (1..12).");
            }

            return base.VisitRangeExpression(rangeExpression);
        }

        protected override Statement VisitForStatement(ForStatement forStatement)
        {
            MayFail = true;
            return base.VisitForStatement(forStatement);
        }

        protected override Statement VisitAssignStatement(AssignStatement assignStatement)
        {
            MayFail = true;
            return base.VisitAssignStatement(assignStatement);
        }

        protected override Statement VisitCaptureStatement(CaptureStatement captureStatement)
        {
            MayFail = true;
            return base.VisitCaptureStatement(captureStatement);
        }

        private static decimal? Number(Expression expression) => expression is LiteralExpression { Value: NumberValue n } ? n.ToNumberValue() : null;
    }
}

/// <summary>Takes what a template prints, up to a length.</summary>
internal sealed class LimitedWriter(TemplateContext context) : TextWriter(CultureInfo.InvariantCulture)
{
    private readonly StringBuilder text = new();

    public override Encoding Encoding => Encoding.Unicode;

    public override void Write(char value)
    {
        Hold(1);
        text.Append(value);
    }

    public override void Write(string? value)
    {
        Hold(value?.Length ?? 0);
        text.Append(value);
    }

    public override void Write(char[] buffer, int index, int count)
    {
        Hold(count);
        text.Append(buffer, index, count);
    }

    public override void Write(ReadOnlySpan<char> buffer)
    {
        Hold(buffer.Length);
        text.Append(buffer);
    }

    public override Task WriteAsync(char value)
    {
        Write(value);
        return Task.CompletedTask;
    }

    public override Task WriteAsync(string? value)
    {
        Write(value);
        return Task.CompletedTask;
    }

    public override Task WriteAsync(char[] buffer, int index, int count)
    {
        Write(buffer, index, count);
        return Task.CompletedTask;
    }

    public override Task WriteAsync(ReadOnlyMemory<char> buffer, CancellationToken cancellationToken = default)
    {
        Write(buffer.Span);
        return Task.CompletedTask;
    }

    public override string ToString() => text.ToString();

    private void Hold(int more)
    {
        if (text.Length + more > LiquidLimits.Output)
        {
            throw new LiquidLimitException(Say($"It becomes longer than {LiquidLimits.Output.ToString("N0", CultureInfo.InvariantCulture)} characters."));
        }

        LiquidLimits.Spend(context);
    }
}
