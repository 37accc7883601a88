using Germinal.Core.Contact;
using Germinal.Core.Time;
using NodaTime;

namespace Germinal.Core.Rules;

/// <summary>
/// Judges a rule over a person (rule 5.2). A missing value makes every op but <c>missing</c>, <c>is-not</c>, <c>not-in</c>,
/// <c>has-not</c> and <c>not-in-last</c> false. Text compares without regard to case; accents count.
/// </summary>
public static class RuleJudge
{
    /// <summary>True when the rule holds for the person at the moment.</summary>
    public static bool Holds(Rule rule, PersonFacts person, RuleMoment moment)
    {
        switch (rule)
        {
            case AllOf all:
                foreach (var part in all.Parts)
                {
                    if (!Holds(part, person, moment))
                    {
                        return false;
                    }
                }

                return true;
            case AnyOf any:
                foreach (var part in any.Parts)
                {
                    if (Holds(part, person, moment))
                    {
                        return true;
                    }
                }

                return false;
            case Not not:
                return !Holds(not.Part, person, moment);
            case Leaf { Known.Name: RuleField.Segment } leaf:
                return Holds(leaf, new FieldValue(Texts: Segments.Of(leaf, person, moment)), moment);
            case Leaf { Known: { IsCustom: true } own, Op: RuleOp.Has or RuleOp.HasNot or RuleOp.In or RuleOp.NotIn } leaf:
                return Holds(leaf, own.PartsFor(person), moment);
            case Leaf leaf:
                return leaf.Known is { } field && Holds(leaf, field.ValueFor(person, moment), moment);
            default:
                throw new ArgumentOutOfRangeException(nameof(rule));
        }
    }

    private static bool Holds(Leaf leaf, FieldValue value, RuleMoment moment) =>
        leaf.Op switch
        {
            RuleOp.Missing => value.IsMissing,
            RuleOp.IsNot or RuleOp.NotIn or RuleOp.HasNot => value.IsMissing || !AnyText(value, moment.Zone, leaf, IsWanted),
            RuleOp.NotInLast => value.IsMissing || !InLast(value, leaf.Span, moment),
            _ when value.IsMissing => false,
            RuleOp.Exists => true,
            RuleOp.Is or RuleOp.In or RuleOp.Has => AnyText(value, moment.Zone, leaf, IsWanted),
            RuleOp.Contains => AnyText(value, moment.Zone, leaf, static (text, l) => text.Contains(l.First, StringComparison.OrdinalIgnoreCase)),
            RuleOp.StartsWith => AnyText(value, moment.Zone, leaf, static (text, l) => text.StartsWith(l.First, StringComparison.OrdinalIgnoreCase)),
            RuleOp.Before => DateOf(value, moment.Zone) < leaf.Date,
            RuleOp.After => DateOf(value, moment.Zone) > leaf.Date,
            RuleOp.Less => NumberOf(value) < leaf.Number,
            RuleOp.More => NumberOf(value) > leaf.Number,
            RuleOp.InLast => InLast(value, leaf.Span, moment),
            RuleOp.MonthIs => MonthOf(value, moment.Zone) is { } month && month == leaf.MonthAt(moment.Today),
            _ => false,
        };

    private static bool IsWanted(string text, Leaf leaf) => leaf.Wanted.Contains(text);

    private static bool AnyText(FieldValue value, DateTimeZone zone, Leaf leaf, Func<string, Leaf, bool> test)
    {
        if (value.Texts is not { } texts)
        {
            return test(RuleField.TextOf(value, zone), leaf);
        }

        foreach (var text in texts)
        {
            if (test(text, leaf))
            {
                return true;
            }
        }

        return false;
    }

    /// <summary>A full date: of a date with its year, of a moment, of a text that is one.</summary>
    private static LocalDate? DateOf(FieldValue value, DateTimeZone zone)
    {
        if (value.Date is { } date)
        {
            return date.Year is { } year ? new LocalDate(year, date.Month, date.Day) : null;
        }

        return value.Moment is { } at ? at.InZone(zone).Date
            : value.Text is { } text ? Leaf.FullDate(text)
            : null;
    }

    private static decimal? NumberOf(FieldValue value) => value.Number ?? (value.Text is { } text ? Leaf.NumberOf(text) : null);

    private static int? MonthOf(FieldValue value, DateTimeZone zone)
    {
        if (value.Moment is { } at)
        {
            return at.InZone(zone).Month;
        }

        return (value.Date ?? (value.Text is { } text ? YearlyDate.TryParse(text) : null))?.Month;
    }

    /// <summary>
    /// Not later than the moment and not further back than the span: a moment to the instant, a date by whole days.
    /// </summary>
    private static bool InLast(FieldValue value, Distance? span, RuleMoment moment)
    {
        if (span is null)
        {
            return false;
        }

        if (value.Moment is { } at)
        {
            return at <= moment.At && at >= span.Before(moment.At, moment.Zone);
        }

        return DateOf(value, moment.Zone) is { } date && date <= moment.Today && date >= span.Before(moment.At, moment.Zone).InZone(moment.Zone).Date;
    }
}
