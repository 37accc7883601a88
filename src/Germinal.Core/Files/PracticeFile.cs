using System.Collections.Frozen;
using System.Globalization;
using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Practices;
using Germinal.Core.Time;
using NodaTime;

namespace Germinal.Core.Files;

/// <summary>A practice read from JSON, or everything that is wrong with it.</summary>
public sealed record PracticeFileReading(Practice? Practice, IReadOnlyList<Finding> Errors);

/// <summary>Reads the practice file, format <c>germinal.practice/1</c>. A file with any error is refused whole, with every error listed.</summary>
public static partial class PracticeFile
{
    /// <summary>The format's name and version.</summary>
    public const string Format = "germinal.practice/1";

    /// <summary>Reads a practice file.</summary>
    /// <param name="json">The file's text.</param>
    public static PracticeFileReading Read(string json)
    {
        var errors = new List<Finding>();
        using var document = JsonObjectReader.Parse(json, errors);
        if (document is null || JsonObjectReader.For(document.RootElement, "", errors) is not { } root)
        {
            return new PracticeFileReading(null, errors);
        }

        root.Format(Format);
        var name = root.Needed("name");
        var zone = ReadZone(root);
        var members = root.List("members", ReadMember);
        var practice = new Practice
        {
            Name = name,
            Zone = zone,
            LeapDay = root.Choice("leapDay", LeapDay.Feb28, FileWords.LeapDays),
            Calendar = new WorkCalendar(
                root.Has("workingDays") ? root.Days("workingDays") : WorkCalendar.MondayToFriday.WorkingDays,
                root.Dates("holidays"),
                root.Dates("closed")
            ),
            QuietHours = root.Object("quietHours") is { } quiet ? ReadQuietHours(quiet) : QuietHours.Widest,
            Consent = root.Object("consent") is { } consent ? ReadConsent(consent) : new ConsentRules(FrozenDictionary<Channel, ConsentPolicy>.Empty),
            Policies = root.List("policies", ReadPolicy)
                .DistinctBy(p => p.Name.ToLowerInvariant())
                .ToFrozenDictionary(p => p.Name, StringComparer.OrdinalIgnoreCase),
            Pace = root.List("pace", ReadPace),
            DailyLimits = root.Object("dailyLimits") is { } limits ? ReadLimits(limits) : FrozenDictionary<Channel, int>.Empty,
            PostalAddress = root.Text("address") ?? "",
            Members = members.Count > 0 ? members : [TheHouseItself(name)],
            FallbackSender = members.Count > 0 ? members[0].Id : TheHouseItself(name).Id,
            Pipelines = root.List("pipelines", ReadPipeline),
            Itself = Practice.AsSender(MemberId(Practice.ItselfHandle), name, ReadAddress(root)),
        };
        root.Done();
        foreach (var twice in members.Select((m, i) => (m, i)).GroupBy(m => m.m.Handle, StringComparer.Ordinal).Where(g => g.Count() > 1))
        {
            errors.Add(
                new Finding(
                    string.Create(CultureInfo.InvariantCulture, $"/members/{twice.Last().i}/id"),
                    Say($"Two members have the id “{twice.Key}”; each needs its own.")
                )
            );
        }

        return new PracticeFileReading(errors.Count == 0 ? practice : null, errors);
    }

    /// <summary>The id of a member that a file names by a word.</summary>
    public static Guid MemberId(string handle) => StableId.Of(Guid.Empty, $"member/{handle}");

    /// <summary>Where a file names no members the practice signs for itself.</summary>
    private static Member TheHouseItself(string name) => new(MemberId(""), name, "practice@example.com") { Handle = "" };

    private static DateTimeZone ReadZone(JsonObjectReader root)
    {
        var name = root.Needed("zone");
        if (LocalClock.Zone(name) is { } zone)
        {
            return zone;
        }

        if (name.Length > 0)
        {
            root.Bad<object>("zone", Say($"There is no zone “{name}”; an IANA name like America/New_York would be right."));
        }

        return DateTimeZone.Utc;
    }

    private static QuietHours ReadQuietHours(JsonObjectReader o)
    {
        var from = o.Time("from") ?? QuietHours.Widest.From;
        var to = o.Time("to") ?? QuietHours.Widest.To;
        o.Done();
        if (from < QuietHours.Widest.From)
        {
            o.Bad<object>("from", Said("Texts and calls never go before 08:00; a practice may narrow the hours, not widen them."));
        }

        if (to > QuietHours.Widest.To)
        {
            o.Bad<object>("to", Said("Texts and calls never go after 21:00; a practice may narrow the hours, not widen them."));
        }

        if (to <= from)
        {
            o.Bad<object>("to", Say($"These hours never open: they end at {TimesOfDay.Text(to)} and begin at {TimesOfDay.Text(from)}."));
        }

        return new QuietHours(from, to);
    }

    private static ConsentRules ReadConsent(JsonObjectReader o)
    {
        var policies = ContactWords.Channels.ToDictionary(c => c.Value, c => o.Choice(c.Word, ConsentPolicy.Strict, ContactWords.Policies));
        var rules = new ConsentRules(
            policies.ToFrozenDictionary(),
            o.Number("inquiryMonths", 6, 0, 1200),
            o.Number("clientMonths", 24, 0, 1200),
            o.Flag("strictForTransactional")
        );
        o.Done();
        return rules;
    }

    private static SendingPolicy ReadPolicy(JsonObjectReader o)
    {
        var name = o.Needed("name");
        var consent = o.Object("consent") is { } c ? ReadConsent(c) : new ConsentRules(FrozenDictionary<Channel, ConsentPolicy>.Empty);
        var policy = new SendingPolicy(name, consent, o.Texts("topics"), o.Text("footer") ?? "");
        o.Done();
        return policy;
    }

    private static PaceRule ReadPace(JsonObjectReader o)
    {
        var max = o.Number("max", 1, 0, 100_000);
        var per = o.NeededDuration("per");
        if (o.Has("per") && (per.HasTimePart || per.Dates.Years != 0 || per.Dates.Months != 0 || per.WholeDays < 1))
        {
            o.Bad<object>("per", Say($"“{per}” should be whole days; P1D or P7D would be right."));
        }

        var channels = new List<Channel>();
        foreach (var word in o.Texts("channels"))
        {
            if (ContactWords.ChannelOf(word) is { } channel)
            {
                channels.Add(channel);
            }
            else
            {
                o.Unknown<object>("channels", word, string.Join(", ", ContactWords.Channels.Select(c => c.Word)));
            }
        }

        if (!o.Has("max") || channels.Count == 0)
        {
            o.Bad<object>(
                o.Has("max") ? "channels" : "max",
                Say($"A pace rule says how many, in how many days, over which channels: {{\"max\":1,\"per\":\"P1D\",\"channels\":[\"email\",\"text\"]}}.")
            );
        }

        o.Done();
        return new PaceRule(max, Math.Max(1, per.WholeDays), channels.ToFrozenSet());
    }

    private static FrozenDictionary<Channel, int> ReadLimits(JsonObjectReader o)
    {
        var limits = new Dictionary<Channel, int>();
        foreach (var channel in new[] { Channel.Email, Channel.Text })
        {
            var word = ContactWords.Of(channel);
            var limit = o.Number(word, 0, 0, 100_000_000);
            if (o.Has(word))
            {
                limits[channel] = limit;
            }
        }

        o.Done();
        return limits.ToFrozenDictionary();
    }

    /// <summary>The practice's own address; empty for none.</summary>
    private static string ReadAddress(JsonObjectReader root)
    {
        var email = root.Text("email") ?? "";
        if (email.Length > 0 && !Addresses.IsEmail(email))
        {
            root.Bad<object>("email", Say($"“{email}” is not an email address; office@example.com would be."));
        }

        return email;
    }

    private static Member ReadMember(JsonObjectReader o)
    {
        var id = o.Needed("id");
        var member = new Member(MemberId(id), o.Needed("name"), o.Needed("email"))
        {
            Handle = id,
            Capacity = o.Object("capacity") is { } capacity ? ReadCapacity(capacity) : null,
            MostEmails = o.Has("mostEmails") ? o.Number("mostEmails", 0, 1, 1_000_000) : null,
        };
        if (member.Email.Length > 0 && !Addresses.IsEmail(member.Email))
        {
            o.Bad<object>("email", Say($"“{member.Email}” is not an email address; ada@example.com would be."));
        }

        o.Done();
        return member;
    }

    private static FrozenDictionary<IsoDayOfWeek, int> ReadCapacity(JsonObjectReader o)
    {
        var capacity = FileWords.Days.Where(d => o.Has(d.Word)).ToDictionary(d => d.Value, d => o.Number(d.Word, 0, 0, 1000));
        o.Done();
        return capacity.ToFrozenDictionary();
    }

    private static Pipeline ReadPipeline(JsonObjectReader o)
    {
        var pipeline = new Pipeline(o.Needed("name"), o.Texts("stages"));
        o.Done();
        return pipeline;
    }
}
