using Germinal.Core.Rules;
using Germinal.Core.Time;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Store;

/// <summary>
/// Rules as SQL, for segments: the same people that <see cref="RuleJudge"/> finds one by one. Every leaf becomes a condition
/// that is true or false and never null; every value of a rule is a parameter.
/// </summary>
public static class RuleSql
{
    /// <summary>The people of the context's practice for whom a rule holds.</summary>
    /// <param name="db">The context; its filter keeps practices apart.</param>
    /// <param name="rule">The rule.</param>
    /// <param name="moment">When it is judged, on the practice's clock. What the engine remembers is read from the tables.</param>
    public static IQueryable<PersonRow> Matching(this GerminalDb db, Rule rule, RuleMoment moment)
    {
        var writer = new Writer(moment);
        var condition = writer.Condition(rule);
#pragma warning disable EF1002 // The text is made of this file's own constants; values travel as parameters.
        return db.People.FromSqlRaw($"SELECT p.* FROM people p WHERE {condition}", [.. writer.Parameters]);
#pragma warning restore EF1002
    }

    private sealed class Writer(RuleMoment moment)
    {
        public List<object> Parameters { get; } = [];

        public string Condition(Rule rule) =>
            rule switch
            {
                AllOf { Parts.Count: 0 } => "true",
                AllOf all => $"({string.Join(" AND ", all.Parts.Select(Condition))})",
                AnyOf { Parts.Count: 0 } => "false",
                AnyOf any => $"({string.Join(" OR ", any.Parts.Select(Condition))})",
                Not not => $"(NOT {Condition(not.Part)})",
                Leaf { Known: { } field } leaf => $"coalesce({LeafCondition(leaf, field)}, false)",
                Leaf => "false",
                _ => throw new ArgumentOutOfRangeException(nameof(rule)),
            };

        private string Parameter(object value)
        {
            Parameters.Add(value);
            return $"{{{Parameters.Count - 1}}}";
        }

        private string LeafCondition(Leaf leaf, RuleField field) =>
            leaf.Op switch
            {
                RuleOp.Exists => Exists(field),
                RuleOp.Missing => $"NOT {Exists(field)}",
                RuleOp.Is or RuleOp.In or RuleOp.Has => AnyText(field, t => $"rule_fold({t}) = ANY({Folded(leaf)})"),
                RuleOp.IsNot or RuleOp.NotIn or RuleOp.HasNot => $"NOT coalesce({AnyText(field, t => $"rule_fold({t}) = ANY({Folded(leaf)})")}, false)",
                RuleOp.Contains => AnyText(field, t => $"position(rule_fold({Parameter(leaf.First)}) IN rule_fold({t})) > 0"),
                RuleOp.StartsWith => AnyText(field, t => $"starts_with(rule_fold({t}), rule_fold({Parameter(leaf.First)}))"),
                RuleOp.Before => leaf.Date is { } date ? Compare(DateOf(field), "<", date) : "false",
                RuleOp.After => leaf.Date is { } date ? Compare(DateOf(field), ">", date) : "false",
                RuleOp.Less => leaf.Number is { } n ? Compare(NumberOf(field), "<", n) : "false",
                RuleOp.More => leaf.Number is { } n ? Compare(NumberOf(field), ">", n) : "false",
                RuleOp.InLast => InLast(leaf, field),
                RuleOp.NotInLast => $"NOT coalesce({InLast(leaf, field)}, false)",
                RuleOp.MonthIs => leaf.Number is { } month ? Compare(MonthOf(field), "=", month) : "false",
                _ => throw new ArgumentOutOfRangeException(nameof(leaf)),
            };

        /// <summary>The wanted values folded by the database, so that both sides are folded alike.</summary>
        private string Folded(Leaf leaf) => $"ARRAY(SELECT rule_fold(v) FROM unnest({Parameter(leaf.Values.ToArray())}::text[]) v)";

        private string Compare(string? value, string op, object with) => value is null ? "false" : $"{value} {op} {Parameter(with)}";

        private string AnyText(RuleField field, Func<string, string> test) =>
            field.Kind == FieldKind.Texts ? $"EXISTS (SELECT 1 FROM {Texts(field)} AS x(v) WHERE {test("x.v")})" : test($"({TextOf(field)})");

        private string Exists(RuleField field) =>
            field.Kind switch
            {
                FieldKind.Texts => $"EXISTS (SELECT 1 FROM {Texts(field)} AS x(v))",
                _ => $"({TextOf(field)}) IS NOT NULL",
            };

        /// <summary>A set-returning expression of one text column.</summary>
        private static string Texts(RuleField field) =>
            field.Name switch
            {
                "tags" => "unnest(p.tags)",
                "lists" => "unnest(p.lists)",
                "programs" => "(SELECT DISTINCT g.name FROM runs r JOIN programs g ON g.id = r.program_id WHERE r.person_id = p.id AND r.ended_at IS NULL)",
                _ => "(SELECT DISTINCT g.name FROM runs r JOIN programs g ON g.id = r.program_id WHERE r.person_id = p.id)",
            };

        /// <summary>The one text of a field, null where it has no value; dates and moments as the rule language writes them.</summary>
        private string TextOf(RuleField field)
        {
            switch (field.Kind)
            {
                case FieldKind.Date:
                    return KeyDate(
                        field,
                        "CASE WHEN d.year IS NULL THEN '--' ELSE lpad(d.year::text, 4, '0') || '-' END || lpad(d.month::text, 2, '0') || '-' || lpad(d.day::text, 2, '0')"
                    );
                case FieldKind.Moment:
                    return $"to_char({LocalDate(field)}, 'YYYY-MM-DD')";
                case FieldKind.Number:
                    return $"({NumberOf(field)})::text";
            }

            if (field.IsCustom)
            {
                return $"SELECT nullif(c.value, '') FROM jsonb_each_text(p.custom) c WHERE rule_fold(c.key) = rule_fold({Parameter(field.Name)}) LIMIT 1";
            }

            return field.Name switch
            {
                "id" => "p.id::text",
                "zone" => "nullif(p.zone_id, '')",
                "owner" => "p.owner_id::text",
                "do_not_contact" => "CASE WHEN p.do_not_contact THEN 'yes' END",
                "lost-reason" => "nullif(p.lost_reason, '')",
                "email_consent" or "text_consent" or "call_consent" or "post_consent" =>
                    $"SELECT CASE WHEN NOT c.is_in THEN 'out' WHEN c.basis = 'express' THEN 'in' ELSE c.basis END FROM consent c WHERE c.person_id = p.id AND c.channel = {Parameter(field.Name[..^8])} AND c.topic IS NULL AND c.taken_back_at IS NULL AND coalesce(c.purpose, 'commercial') = 'commercial' ORDER BY c.at DESC, c.id DESC LIMIT 1",
                _ => $"nullif(p.{field.Name}, '')",
            };
        }

        private string KeyDate(RuleField field, string what) =>
            $"SELECT {what} FROM key_dates d WHERE d.person_id = p.id AND rule_fold(d.name) = rule_fold({Parameter(field.Name)}) LIMIT 1";

        private static string Moment(RuleField field) =>
            field.Name switch
            {
                "added" => "p.added_at",
                "stage-since" => "p.stage_since",
                "last-touch" => State("nullif(s.last_touch_at, '-infinity')"),
                "last-reply" => State("s.last_reply_at"),
                _ => State("nullif(s.next_touch_at, 'infinity')"),
            };

        private static string State(string what) => $"(SELECT {what} FROM person_states s WHERE s.person_id = p.id)";

        private string LocalDate(RuleField field) => $"({Moment(field)} AT TIME ZONE {Parameter(moment.Zone.Id)})::date";

        private string? DateOf(RuleField field) =>
            field.Kind switch
            {
                FieldKind.Date => $"({KeyDate(field, "make_date(d.year, d.month, d.day)")})",
                FieldKind.Moment => LocalDate(field),
                FieldKind.Text => $"rule_date(({TextOf(field)}))",
                _ => null,
            };

        private string? NumberOf(RuleField field) =>
            field.Kind switch
            {
                FieldKind.Number => Age(),
                FieldKind.Text => $"rule_number(({TextOf(field)}))",
                _ => null,
            };

        /// <summary>Whole years since the birthday's year, one less before the day as it is kept this year (rule 4.1).</summary>
        private string Age()
        {
            var today = moment.Today;
            var leap = new YearlyDate(2, 29, null).In(today.Year, moment.LeapDay);
            return $"(SELECT {Parameter(today.Year)} - d.year - CASE WHEN (CASE WHEN d.month = 2 AND d.day = 29 THEN {Parameter((leap.Month * 100) + leap.Day)} ELSE d.month * 100 + d.day END) > {Parameter((today.Month * 100) + today.Day)} THEN 1 ELSE 0 END FROM key_dates d WHERE d.person_id = p.id AND rule_fold(d.name) = 'BIRTHDAY' LIMIT 1)";
        }

        private string? MonthOf(RuleField field) =>
            field.Kind switch
            {
                FieldKind.Date => $"({KeyDate(field, "d.month")})",
                FieldKind.Moment => $"extract(month FROM {LocalDate(field)})",
                FieldKind.Text => $"rule_month(({TextOf(field)}))",
                _ => null,
            };

        private string InLast(Leaf leaf, RuleField field)
        {
            if (leaf.Span is not { } span)
            {
                return "false";
            }

            var floor = span.Before(moment.At, moment.Zone);
            if (field.Kind == FieldKind.Moment)
            {
                return $"({Moment(field)} BETWEEN {Parameter(floor)} AND {Parameter(moment.At)})";
            }

            return DateOf(field) is { } date ? $"({date} BETWEEN {Parameter(floor.InZone(moment.Zone).Date)} AND {Parameter(moment.Today)})" : "false";
        }
    }
}
