using Germinal.Core.Contact;
using Germinal.Core.Rules;
using Germinal.Core.Time;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Store;

/// <summary>
/// Rules as SQL, for segments: the same people that <see cref="RuleJudge"/> finds one by one. What stands in a table of its own is
/// asked for with EXISTS, so that the database may look at that table as a whole; every value of a rule is a parameter.
/// </summary>
public static class RuleSql
{
    /// <summary>The people of the context's practice for whom a rule holds.</summary>
    /// <param name="db">The context; its filter keeps practices apart.</param>
    /// <param name="rule">The rule.</param>
    /// <param name="moment">
    /// When it is judged, on the practice's clock, with the saved segments it may ask for. What the engine remembers is read from the tables.
    /// </param>
    public static IQueryable<PersonRow> Matching(this GerminalDb db, Rule rule, RuleMoment moment)
    {
        var writer = new Writer(moment, []);
        var condition = writer.Condition(rule, nullIsFalse: true);
#pragma warning disable EF1002 // The text is made of this file's own constants; values travel as parameters.
        return db.People.FromSqlRaw($"SELECT p.* FROM people p WHERE {condition}", [.. writer.Parameters]);
#pragma warning restore EF1002
    }

    /// <summary>The people a segment picks (rule 16.1): archived ones only where the rule speaks of them.</summary>
    public static IQueryable<PersonRow> InSegment(this GerminalDb db, Rule rule, RuleMoment moment) =>
        rule.Asks(RuleField.Archived) ? db.Matching(rule, moment) : db.Matching(rule, moment).Where(p => !p.Archived);

    /// <summary>
    /// Where a field's value stands for a person <c>p</c>: a column of theirs, or rows of another table, of which a leaf then needs one.
    /// </summary>
    /// <param name="Value">The value as it is stored, null where there is none.</param>
    /// <param name="Rows">What follows FROM, up to and with a WHERE that names the person; null for a column of the person.</param>
    private sealed record Place(string Value, string? Rows = null)
    {
        /// <summary>The text the rule language compares; the value itself where nothing is said.</summary>
        public string Text { get; init; } = Value;

        public string? Date { get; init; }

        public string? Moment { get; init; }

        public string? Number { get; init; }

        public string? Month { get; init; }

        public string Where(string test) => Rows is null ? test : $"EXISTS (SELECT 1 FROM {Rows} AND {test})";
    }

    private sealed class Writer(RuleMoment moment, List<object> parameters)
    {
        public List<object> Parameters => parameters;

        /// <summary>The condition of a rule.</summary>
        /// <param name="rule">The rule.</param>
        /// <param name="nullIsFalse">True where a condition that is null picks nobody, as one that is false; else it never is null.</param>
        public string Condition(Rule rule, bool nullIsFalse) =>
            rule switch
            {
                AllOf { Parts.Count: 0 } => "true",
                AllOf all => $"({string.Join(" AND ", all.Parts.Select(p => Condition(p, nullIsFalse)))})",
                AnyOf { Parts.Count: 0 } => "false",
                AnyOf any => $"({string.Join(" OR ", any.Parts.Select(p => Condition(p, nullIsFalse)))})",
                Not not => $"(NOT {Condition(not.Part, nullIsFalse: false)})",
                Leaf { Known: { } field } leaf => OfLeaf(leaf, field, nullIsFalse),
                Leaf => "false",
                _ => throw new ArgumentOutOfRangeException(nameof(rule)),
            };

        private string OfLeaf(Leaf leaf, RuleField field, bool nullIsFalse)
        {
            var condition = LeafCondition(leaf, field);
            return nullIsFalse || condition.StartsWith("EXISTS", StringComparison.Ordinal) || condition.StartsWith("NOT ", StringComparison.Ordinal)
                ? condition
                : $"coalesce({condition}, false)";
        }

        private string Parameter(object value)
        {
            Parameters.Add(value);
            return $"{{{Parameters.Count - 1}}}";
        }

        private string LeafCondition(Leaf leaf, RuleField field)
        {
            switch (leaf.Op)
            {
                case RuleOp.Missing:
                    return $"NOT {Condition(leaf with { Op = RuleOp.Exists }, nullIsFalse: false)}";
                case RuleOp.IsNot:
                    return $"NOT {Condition(leaf with { Op = RuleOp.Is }, nullIsFalse: false)}";
                case RuleOp.NotIn or RuleOp.HasNot:
                    return $"NOT {Condition(leaf with { Op = RuleOp.Has }, nullIsFalse: false)}";
                case RuleOp.NotInLast:
                    return $"NOT {Condition(leaf with { Op = RuleOp.InLast }, nullIsFalse: false)}";
            }

            if (field.Name == RuleField.Segment)
            {
                return InSegments(leaf);
            }

            if (Indexed(leaf, field) is { } quick)
            {
                return quick;
            }

            var place = field.Deed is { } deed ? OfDeed(deed, leaf.Op) : PlaceOf(field);
            return leaf.Op switch
            {
                RuleOp.Exists => place.Where($"{place.Value} IS NOT NULL"),
                RuleOp.Is or RuleOp.In or RuleOp.Has => place.Where($"rule_fold({place.Text}) = ANY({Folded(leaf)})"),
                RuleOp.Contains => place.Where($"position(rule_fold({Parameter(leaf.First)}) IN rule_fold({place.Text})) > 0"),
                RuleOp.StartsWith => place.Where($"starts_with(rule_fold({place.Text}), rule_fold({Parameter(leaf.First)}))"),
                RuleOp.Before => Compare(place, place.Date, "<", leaf.Date),
                RuleOp.After => Compare(place, place.Date, ">", leaf.Date),
                RuleOp.Less => Compare(place, place.Number, "<", leaf.Number),
                RuleOp.More => Compare(place, place.Number, ">", leaf.Number),
                RuleOp.MonthIs => Compare(place, place.Month, "=", leaf.MonthAt(moment.Today)),
                RuleOp.InLast => InLast(leaf, place),
                _ => throw new ArgumentOutOfRangeException(nameof(leaf)),
            };
        }

        /// <summary>The wanted values folded by the database, so that both sides are folded alike.</summary>
        private string Folded(Leaf leaf) => $"ARRAY(SELECT rule_fold(v) FROM unnest({Parameter(leaf.Values.ToArray())}::text[]) v)";

        private string Compare(Place place, string? value, string op, object? with) =>
            value is null || with is null ? "false" : place.Where($"{value} {op} {Parameter(with)}");

        /// <summary>What an index of all values of a person answers; null for everything else.</summary>
        private string? Indexed(Leaf leaf, RuleField field)
        {
            if (leaf.Op is not (RuleOp.Is or RuleOp.In or RuleOp.Has))
            {
                return null;
            }

            return field switch
            {
                { Name: "tags" or "lists", Deed: null, Kind: FieldKind.Texts } => $"rule_fold_all(p.{field.Name}) && {Folded(leaf)}",
                { IsCustom: true } =>
                    $"rule_own_pairs(p.custom) && ARRAY(SELECT rule_fold({Parameter(field.Name)}) || s || rule_fold(v) FROM unnest({Parameter(leaf.Values.ToArray())}::text[]) v, unnest(ARRAY[{Marks(leaf.Op)}]) s WHERE v <> '')",
                _ => null,
            };
        }

        /// <summary>What stands between a field's name and its whole value, and between it and one of several choices.</summary>
        private static string Marks(RuleOp op) => op == RuleOp.Is ? "U&'\\001F'" : "U&'\\001F', U&'\\001E'";

        private string InSegments(Leaf leaf)
        {
            var parts = new List<string>();
            foreach (var (name, rule) in moment.Segments ?? new Dictionary<string, Rule>())
            {
                var wanted = leaf.Op switch
                {
                    RuleOp.Is or RuleOp.In or RuleOp.Has => leaf.Wanted.Contains(name),
                    RuleOp.Exists => true,
                    RuleOp.Contains => name.Contains(leaf.First, StringComparison.OrdinalIgnoreCase),
                    RuleOp.StartsWith => name.StartsWith(leaf.First, StringComparison.OrdinalIgnoreCase),
                    _ => false,
                };
                if (wanted)
                {
                    var inner = new Writer(
                        moment with
                        {
                            Segments = Segments.Without(moment.Segments!, name),
                        },
                        Parameters
                    );
                    var condition = inner.Condition(rule, nullIsFalse: false);
                    parts.Add(rule.Asks(RuleField.Archived) ? condition : $"(NOT p.archived AND {condition})");
                }
            }

            return parts.Count == 0 ? "false" : $"({string.Join(" OR ", parts)})";
        }

        private Place PlaceOf(RuleField field)
        {
            if (field.Role is { } role)
            {
                return new Place(
                    "x.other",
                    $"(SELECT r.other_id::text AS other FROM relations r WHERE r.person_id = p.id AND rule_fold(r.role) = rule_fold({Parameter(role)}) UNION ALL SELECT r.person_id::text FROM relations r WHERE r.other_id = p.id AND rule_fold(r.back) = rule_fold({Parameter(role)})) x WHERE true"
                );
            }

            return field.Kind switch
            {
                FieldKind.Texts => Texts(field),
                FieldKind.Date => KeyDate(field.Name),
                FieldKind.Moment => Moment(field),
                FieldKind.Number => Age(),
                _ => Text(field),
            };
        }

        private static Place Texts(RuleField field) =>
            field.Name switch
            {
                "tags" => new Place("x.v", "unnest(p.tags) AS x(v) WHERE true"),
                "lists" => new Place("x.v", "unnest(p.lists) AS x(v) WHERE true"),
                "programs" => new Place("g.name", "runs r JOIN programs g ON g.id = r.program_id WHERE r.person_id = p.id AND r.ended_at IS NULL"),
                _ => new Place("g.name", "runs r JOIN programs g ON g.id = r.program_id WHERE r.person_id = p.id"),
            };

        /// <summary>A text; what reads as a date, a number or a month may be asked for as such.</summary>
        private Place Text(RuleField field)
        {
            var text = field.IsCustom
                ? $"rule_own(p.custom, {Parameter(field.Name)})"
                : field.Name switch
                {
                    "id" => "p.id::text",
                    "household" => "p.household_id::text",
                    "zone" => "nullif(p.zone_id, '')",
                    "owner" => "p.owner_id::text",
                    "do_not_contact" => "(CASE WHEN p.do_not_contact THEN 'yes' END)",
                    RuleField.Archived => "(CASE WHEN p.archived THEN 'yes' END)",
                    "lost-reason" => "nullif(p.lost_reason, '')",
                    "other-phone" => "nullif(p.other_phone, '')",
                    "postal-code" => "nullif(p.postal_code, '')",
                    "email_consent" or "text_consent" or "call_consent" or "post_consent" =>
                        $"(SELECT CASE WHEN NOT c.is_in THEN 'out' WHEN c.basis = 'express' THEN 'in' ELSE c.basis END FROM consent c WHERE c.person_id = p.id AND c.channel = {Parameter(field.Name[..^8])} AND c.topic IS NULL AND c.taken_back_at IS NULL AND coalesce(c.purpose, 'commercial') = 'commercial' ORDER BY c.at DESC, c.id DESC LIMIT 1)",
                    _ => $"nullif(p.{field.Name}, '')",
                };
            return new Place(text)
            {
                Date = $"rule_date({text})",
                Number = $"rule_number({text})",
                Month = $"rule_month({text})",
            };
        }

        /// <summary>A key date, written as the rule language writes dates.</summary>
        private Place KeyDate(string name) =>
            new("d.month", $"key_dates d WHERE d.person_id = p.id AND rule_fold(d.name) = rule_fold({Parameter(name)})")
            {
                Text =
                    "(CASE WHEN d.year IS NULL THEN '--' ELSE lpad(d.year::text, 4, '0') || '-' END || lpad(d.month::text, 2, '0') || '-' || lpad(d.day::text, 2, '0'))",
                Date = "make_date(d.year, d.month, d.day)",
                Month = "d.month",
            };

        /// <summary>A moment the person's row or the engine keeps; the beginning and the end of time are none.</summary>
        private Place Moment(RuleField field) =>
            field.Name switch
            {
                "added" => AtMoment("p.added_at", "p.added_at", null),
                "stage-since" => AtMoment("p.stage_since", "p.stage_since", null),
                "last-touch" => Remembered("nullif(s.last_touch_at, '-infinity')", "s.last_touch_at"),
                "inquiry-since" => AtMoment("x.at", "x.at", "(SELECT min(i.received_at) AS at FROM inquiries i WHERE i.person_id = p.id AND i.answered_at IS NULL) x WHERE x.at IS NOT NULL"),
                "last-reply" => Remembered("s.last_reply_at", "s.last_reply_at"),
                _ => Remembered("nullif(s.next_touch_at, 'infinity')", "s.next_touch_at"),
            };

        private Place Remembered(string value, string column) => AtMoment(value, column, "person_states s WHERE s.person_id = p.id");

        private Place AtMoment(string value, string column, string? rows)
        {
            string Local() => $"({value} AT TIME ZONE {Parameter(moment.Zone.Id)})::date";
            return new Place(value, rows)
            {
                Text = $"to_char({Local()}, 'YYYY-MM-DD')",
                Date = Local(),
                Moment = column,
                Month = $"extract(month FROM {Local()})",
            };
        }

        /// <summary>
        /// What somebody did. Whether it was since some moment any of it answers; what the last time was, the last of it.
        /// </summary>
        private Place OfDeed((DeedKind Kind, string? Name) asked, RuleOp op)
        {
            var (rows, at, name) = asked.Kind switch
            {
                DeedKind.Got => (
                    "messages m JOIN touches t ON t.id = m.touch_id JOIN programs g ON g.id = t.program_id WHERE m.person_id = p.id AND m.member_id IS NULL",
                    "m.sent_at",
                    "g.name || '/' || t.step_id"
                ),
                DeedKind.Opened => (
                    "visits v JOIN touches t ON t.id = v.touch_id JOIN programs g ON g.id = t.program_id WHERE v.person_id = p.id AND v.link IS NULL AND NOT v.by_machine",
                    "v.last_at",
                    "g.name || '/' || t.step_id"
                ),
                DeedKind.Followed => (
                    "visits v JOIN messages m ON m.touch_id = v.touch_id WHERE v.person_id = p.id AND v.link IS NOT NULL AND NOT v.by_machine",
                    "v.last_at",
                    "m.links -> v.link ->> 'name'"
                ),
                DeedKind.Answered => ("received c WHERE c.person_id = p.id AND c.kind = 'reply'", "c.at", "c.channel"),
                DeedKind.Started => ("runs r JOIN programs g ON g.id = r.program_id WHERE r.person_id = p.id", "r.started_at", "g.name"),
                DeedKind.Finished => (
                    "runs r JOIN programs g ON g.id = r.program_id WHERE r.person_id = p.id AND r.ended_at IS NOT NULL AND r.stop_reason IS NULL",
                    "r.ended_at",
                    "g.name"
                ),
                DeedKind.Inquired => ("inquiries i WHERE i.person_id = p.id", "i.received_at", "coalesce(i.form, '')"),
                DeedKind.Met => ("appointments a WHERE a.person_id = p.id AND a.cancelled_at IS NULL AND a.missed_at IS NULL", "a.at", "a.type"),
                DeedKind.Missed => ("appointments a WHERE a.person_id = p.id AND a.cancelled_at IS NULL AND a.missed_at IS NOT NULL", "a.at", "a.type"),
                DeedKind.Won => ("opportunities o WHERE o.person_id = p.id AND o.status = 'won' AND o.closed_at IS NOT NULL", "o.closed_at", "''"),
                DeedKind.Lost => (
                    "opportunities o WHERE o.person_id = p.id AND o.status = 'lost' AND o.closed_at IS NOT NULL",
                    "o.closed_at",
                    "coalesce(o.lost_reason, '')"
                ),
                _ => throw new ArgumentOutOfRangeException(nameof(asked)),
            };
            if (asked.Name is { } wanted)
            {
                var folded = $"rule_fold({Parameter(wanted)})";
                rows += $" AND (rule_fold({name}) = {folded} OR starts_with(rule_fold({name}), {folded} || '/'))";
            }

            rows += $" AND {at} <= {Parameter(moment.At)}";
            return op is RuleOp.Exists or RuleOp.InLast or RuleOp.After
                ? AtMoment(at, at, rows)
                : AtMoment("x.at", "x.at", $"(SELECT max({at}) AS at FROM {rows}) x WHERE x.at IS NOT NULL");
        }

        /// <summary>Whole years since the birthday's year, one less before the day as it is kept this year (rule 4.1).</summary>
        private Place Age()
        {
            var today = moment.Today;
            var leap = new YearlyDate(2, 29, null).In(today.Year, moment.LeapDay);
            var age =
                $"({Parameter(today.Year)} - d.year - CASE WHEN (CASE WHEN d.month = 2 AND d.day = 29 THEN {Parameter((leap.Month * 100) + leap.Day)} ELSE d.month * 100 + d.day END) > {Parameter((today.Month * 100) + today.Day)} THEN 1 ELSE 0 END)";
            return new Place(age, "key_dates d WHERE d.person_id = p.id AND rule_fold(d.name) = 'BIRTHDAY'") { Text = $"{age}::text", Number = age };
        }

        private string InLast(Leaf leaf, Place place)
        {
            if (leaf.Span is not { } span)
            {
                return "false";
            }

            var floor = span.Before(moment.At, moment.Zone);
            return place.Moment is { } at ? place.Where($"{at} BETWEEN {Parameter(floor)} AND {Parameter(moment.At)}")
                : place.Date is { } date ? place.Where($"{date} BETWEEN {Parameter(floor.InZone(moment.Zone).Date)} AND {Parameter(moment.Today)}")
                : "false";
        }
    }
}
