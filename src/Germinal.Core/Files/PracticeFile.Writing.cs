using System.Text.Json.Nodes;
using Germinal.Core.Contact;
using Germinal.Core.Practices;
using Germinal.Core.Time;
using NodaTime.Text;

namespace Germinal.Core.Files;

/// <summary>Writes the practice file.</summary>
public static partial class PracticeFile
{
    /// <summary>
    /// The practice as a file that is read again as it stands: what the rules read of it, so that its people and programs can be rehearsed
    /// elsewhere. Members are called by their handles; the one who stands in where nobody looks after somebody comes first.
    /// </summary>
    public static JsonObject Write(Practice practice)
    {
        var file = new JsonObject
        {
            ["format"] = Format,
            ["name"] = practice.Name,
            ["zone"] = practice.Zone.Id,
            ["leapDay"] = FileWords.LeapDays.First(w => w.Value == practice.LeapDay).Word,
            ["workingDays"] = List(FileWords.Days.Where(d => practice.Calendar.WorkingDays.Contains(d.Value)).Select(d => d.Word)),
            ["holidays"] = List(practice.Calendar.Holidays.Order().Select(LocalDatePattern.Iso.Format)),
            ["closed"] = List(practice.Calendar.Closed.Order().Select(LocalDatePattern.Iso.Format)),
            ["quietHours"] = new JsonObject { ["from"] = TimesOfDay.Text(practice.QuietHours.From), ["to"] = TimesOfDay.Text(practice.QuietHours.To) },
            ["consent"] = Write(practice.Consent),
            ["pace"] = new JsonArray(
                [
                    .. practice.Pace.Select(p => new JsonObject
                    {
                        ["max"] = p.Max,
                        ["per"] = FormattableString.Invariant($"P{p.Days}D"),
                        ["channels"] = List(p.Channels.Order().Select(ContactWords.Of)),
                    }),
                ]
            ),
            ["dailyLimits"] = new JsonObject(
                practice.DailyLimits.OrderBy(l => l.Key).Select(l => KeyValuePair.Create<string, JsonNode?>(ContactWords.Of(l.Key), l.Value))
            ),
            ["address"] = practice.PostalAddress,
            ["members"] = new JsonArray([.. practice.Members.OrderByDescending(m => m.Id == practice.FallbackSender).Select(Write)]),
            ["pipelines"] = new JsonArray([.. practice.Pipelines.Select(p => new JsonObject { ["name"] = p.Name, ["stages"] = List(p.Stages) })]),
        };
        if (practice.Itself is { } itself)
        {
            file["email"] = itself.Email;
        }

        if (practice.Policies.Count > 0)
        {
            file["policies"] = new JsonArray([.. practice.Policies.Values.OrderBy(p => p.Name, StringComparer.OrdinalIgnoreCase).Select(Write)]);
        }

        return file;
    }

    private static JsonArray List(IEnumerable<string> words) => new([.. words.Select(w => (JsonNode)w)]);

    private static JsonObject Write(ConsentRules consent)
    {
        var written = new JsonObject(
            ContactWords.Channels.Select(c => KeyValuePair.Create<string, JsonNode?>(c.Word, ContactWords.Of(consent.For(c.Value))))
        )
        {
            ["inquiryMonths"] = consent.InquiryMonths,
            ["clientMonths"] = consent.ClientMonths,
            ["strictForTransactional"] = consent.StrictForTransactional,
        };
        return written;
    }

    private static JsonObject Write(SendingPolicy policy)
    {
        var written = new JsonObject { ["name"] = policy.Name, ["consent"] = Write(policy.Consent) };
        if (policy.Topics.Count > 0)
        {
            written["topics"] = List(policy.Topics);
        }

        if (policy.Footer.Length > 0)
        {
            written["footer"] = policy.Footer;
        }

        return written;
    }

    private static JsonObject Write(Member member)
    {
        var written = new JsonObject
        {
            ["id"] = member.Handle,
            ["name"] = member.Name,
            ["email"] = member.Email,
        };
        if (member.MostEmails is { } most)
        {
            written["mostEmails"] = most;
        }

        if (member.Capacity is { } capacity)
        {
            written["capacity"] = new JsonObject(
                FileWords.Days.Where(d => capacity.ContainsKey(d.Value)).Select(d => KeyValuePair.Create<string, JsonNode?>(d.Word, capacity[d.Value]))
            );
        }

        return written;
    }
}
