using System.Runtime.CompilerServices;
using Germinal.Channels.Letters;
using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Files;
using Germinal.Core.Messages;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using Germinal.Core.Rules;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.Letters;
using Germinal.Service.People;
using Germinal.Service.Segments;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Programs;

/// <summary>What would hold back those a program can start for.</summary>
/// <param name="LookedAt">How many people that are.</param>
/// <param name="Anybody">True where nobody has what starts it yet, so that everybody it could start for was looked at.</param>
/// <param name="Findings">What would hold them back.</param>
public sealed record Audience(int LookedAt, bool Anybody, IReadOnlyList<AudienceFinding> Findings);

/// <summary>People a program would meet trouble with, and the first of them for links.</summary>
/// <param name="Text">For example “No email address”.</param>
/// <param name="Count">How many.</param>
/// <param name="People">The first few, by name.</param>
/// <param name="Pointer">The step concerned, as a JSON pointer.</param>
public sealed record AudienceFinding(string Text, int Count, IReadOnlyList<(Guid Id, string Name)> People, string Pointer);

/// <summary>Who would start a program if it were switched on now.</summary>
/// <param name="Starting">Those who qualify and would start.</param>
/// <param name="Refused">Those who qualify but would be refused, by reason.</param>
public sealed record WhoStarts(IReadOnlyList<(Guid Id, string Name)> Starting, IReadOnlyDictionary<string, int> Refused);

/// <summary>What is done with programs on their page: checking, seeing who starts, switching on, pausing, trying on one person.</summary>
public sealed class ProgramDesk(LiquidLetters letters, Engines engines)
{
    private const int AudienceLooked = 2000;

    /// <summary>Programs that do what is written in them now: their draft is what they were switched on with last.</summary>
    public static IQueryable<ProgramRow> AsPublished(GerminalDb db) =>
        db.Programs.Where(p => db.ProgramVersions.Any(v => v.ProgramId == p.Id && v.Version == p.CurrentVersion && v.Definition == p.Draft));

    /// <summary>Findings about the program itself, broken templates with line and column included.</summary>
    public async Task<IReadOnlyList<Finding>> FindingsAsync(GerminalDb db, Guid programId, ProgramDefinition program, CancellationToken stop)
    {
        var others = (await db.Programs.AsNoTracking().Where(p => p.Id != programId).Select(p => p.Name).ToListAsync(stop)).ToHashSet(
            StringComparer.OrdinalIgnoreCase
        );
        var practice = await PracticeReading.LoadAsync(db, stop);
        var kept = await LetterShelf.LoadAsync(db, stop);
        program = program.WithLetters(kept);
        return
        [
            .. LetterFindings(program, kept, practice.Kept ?? KeptThings.None, (await PracticeClock.NowAsync(db, stop)).InZone(practice.Zone).Date),
            .. ProgramCheck.Findings(program, others, letters.Problems),
            .. ProgramCheck.SenderFindings(program, practice),
            .. ProgramCheck.PolicyFindings(program, practice),
            .. LinkFindings(program),
            .. await FollowFindingsAsync(db, programId, program, stop),
            .. await TagFindingsAsync(db, program, stop),
            .. await RoleFindingsAsync(db, program, stop),
            .. await MeetingFindingsAsync(db, program, stop),
        ];
    }

    /// <summary>Steps that follow a letter that is not there, and letters that mail programs would cut off.</summary>
    private static IEnumerable<Finding> LetterFindings(ProgramDefinition program, IReadOnlyDictionary<string, KeptLetter> kept, KeptThings things, LocalDate today)
    {
        foreach (var place in new StepFlow(program).Steps)
        {
            if (place.Step is not EmailStep email)
            {
                continue;
            }

            foreach (var finding in LetterDesk.PlaceFindings(email.Body, things, today, $"{place.Pointer}/body").Concat(LetterDesk.FileFindings(email, things, $"{place.Pointer}/attachments")))
            {
                yield return finding;
            }

            if (email.Letter is { } name && !kept.ContainsKey(name))
            {
                yield return new Finding($"{place.Pointer}/letter", Say($"There is no letter “{name}”. Write it under Letters, choose another, or give the step words of its own."));
            }
            else if (LetterDesk.WeightFinding(email.Body) is { } heavy)
            {
                yield return new Finding($"{place.Pointer}/body", heavy, IsWarning: true);
            }
        }
    }

    /// <summary>What is wrong with what links of letters are to set off.</summary>
    private static IEnumerable<Finding> LinkFindings(ProgramDefinition program) =>
        from place in new StepFlow(program).Steps
        where place.Step is EmailStep
        from problem in LetterLinks.Problems(((EmailStep)place.Step).Body)
        select new Finding($"{place.Pointer}/body", problem);

    /// <summary>Messages that go to those in a relation (rule 3.6) that is none of the practice's, and that nobody stands in.</summary>
    private static async Task<IReadOnlyList<Finding>> RoleFindingsAsync(GerminalDb db, ProgramDefinition program, CancellationToken stop)
    {
        var written = new StepFlow(program).Steps.Where(s => s.Step.To is ToRelated).Select(s => (s.Pointer, ((ToRelated)s.Step.To!).Role)).ToList();
        if (written.Count == 0)
        {
            return [];
        }

        var settings = (await db.Practices.AsNoTracking().SingleAsync(p => p.Id == db.PracticeId, stop)).Settings;
        var standing = await db.Relations.AsNoTracking().Select(r => r.Role).Union(db.Relations.Select(r => r.Back)).ToListAsync(stop);
        var known = Relations.Roles(settings).Concat(standing).ToHashSet(StringComparer.OrdinalIgnoreCase);
        return
        [
            .. written
                .Where(w => !known.Contains(w.Role))
                .Select(w => new Finding(
                    $"{w.Pointer}/to",
                    Say($"Nobody is anybody’s “{w.Role}” here, so it would go to nobody; {string.Join(", ", Relations.Roles(settings))} are known."),
                    IsWarning: true
                )),
        ];
    }

    /// <summary>Tags the program asks about that nobody has and no program puts on: most often one is written otherwise.</summary>
    private static async Task<IEnumerable<Finding>> TagFindingsAsync(GerminalDb db, ProgramDefinition program, CancellationToken stop)
    {
        var asked = program
            .StartsWhen.Select((t, i) => (Pointer: $"/startsWhen/{i}", Tag: (t as TagAdded)?.Tag))
            .Concat(program.StopsWhen.Select((s, i) => (Pointer: $"/stopsWhen/{i}", Tag: (s as StopOnTag)?.Tag)))
            .Concat((program.OnlyIf?.Leaves ?? []).Where(l => l.Field == "tags").SelectMany(l => l.Values).Select(v => (Pointer: "/startsWhen", Tag: (string?)v)))
            .Concat(
                from place in new StepFlow(program).Steps
                from leaf in (place.Step.OnlyIf?.Leaves ?? []).Concat(place.Step is ForkStep { If: AskRule q } ? q.Rule.Leaves : [])
                where leaf.Field == "tags"
                from value in leaf.Values
                select (Pointer: place.Pointer, Tag: (string?)value)
            )
            .Where(a => !string.IsNullOrEmpty(a.Tag))
            .ToList();
        if (asked.Count == 0)
        {
            return [];
        }

        var known = (await db.Tags.AsNoTracking().Select(t => t.Name).ToListAsync(stop)).ToHashSet(StringComparer.OrdinalIgnoreCase);
        if (asked.All(a => known.Contains(a.Tag!)))
        {
            return [];
        }

        foreach (var draft in await db.Programs.AsNoTracking().Select(p => p.Draft).ToListAsync(stop))
        {
            known.UnionWith((ProgramFile.Read(draft).Program?.AllSteps ?? []).OfType<ChangeStep>().SelectMany(c => c.Set).OfType<PutTagOn>().Select(t => t.Tag));
        }

        return asked
            .Where(a => !known.Contains(a.Tag!))
            .DistinctBy(a => (a.Pointer, a.Tag))
            .Select(a => new Finding(
                a.Pointer,
                Say($"Nobody has the tag “{a.Tag}” and no program puts it on. Is it spelled as you use it?"),
                IsWarning: true
            ));
    }

    /// <summary>A date that is a kind of appointment too: which of the two is meant is said, so that no letter speaks of a meeting nobody held.</summary>
    private static async Task<IEnumerable<Finding>> MeetingFindingsAsync(GerminalDb db, ProgramDefinition program, CancellationToken stop)
    {
        var dates = program.StartsWhen.Select((t, i) => (Pointer: $"/startsWhen/{i}", Occasion: t as OccasionTrigger)).Where(t => t.Occasion is not null).ToList();
        if (dates.Count == 0)
        {
            return [];
        }

        var (_, settings) = await PracticeReading.LoadWithSettingsAsync(db, stop);
        var made = (await db.Appointments.AsNoTracking().Select(a => a.Type).Distinct().ToListAsync(stop))
            .Concat(settings.AppointmentTypes)
            .ToHashSet(StringComparer.OrdinalIgnoreCase);
        return dates
            .Where(d => made.Contains(d.Occasion!.Date) && !program.StopsWhen.Any(s => s is StopOnAppointment))
            .Select(d => new Finding(
                d.Pointer,
                Say($"“{d.Occasion!.Date}” is a date here and a kind of appointment too. This starts by the date, whether or not a meeting is in the calendar; choose “has an appointment” to start by the meeting."),
                IsWarning: true
            ));
    }

    /// <summary>Questions, starts and stops about a link that no letter holds: they could never come true.</summary>
    private static async Task<IEnumerable<Finding>> FollowFindingsAsync(GerminalDb db, Guid programId, ProgramDefinition program, CancellationToken stop)
    {
        var findings = new List<Finding>();
        foreach (var place in new StepFlow(program).Steps)
        {
            if (place.Step is not ForkStep { If: AskLinkFollowed asked } || program.StepOf(asked.Step!) is not EmailStep letter)
            {
                continue;
            }

            var names = LetterLinks.Names(letter.Body);
            if (names.Count == 0)
            {
                findings.Add(new Finding($"{place.Pointer}/if", Say($"“{letter.Subject}” holds no link that could be followed. Put one in, or ask something else.")));
            }
            else if (asked.Link is { } link && !names.Contains(link, StringComparer.OrdinalIgnoreCase))
            {
                findings.Add(new Finding($"{place.Pointer}/if", Say($"No link of “{letter.Subject}” is called “{link}”. It has: {string.Join(", ", names)}.")));
            }
        }

        var wanted = program
            .StartsWhen.Select((t, i) => (Pointer: $"/startsWhen/{i}", (t as LinkFollowed)?.Link))
            .Concat(program.StopsWhen.Select((s, i) => (Pointer: $"/stopsWhen/{i}", (s as StopOnLink)?.Link)))
            .Where(w => w.Link is not null)
            .ToList();
        if (wanted.Count > 0)
        {
            var known = (await LinkNamesAsync(db, programId, stop)).Concat(LinkNames(program)).ToHashSet(StringComparer.OrdinalIgnoreCase);
            findings.AddRange(
                wanted
                    .Where(w => !known.Contains(w.Link!))
                    .Select(w => new Finding(w.Pointer, Say($"No letter holds a link called “{w.Link}”; nobody can follow it. Choose one from the list.")))
            );
        }

        return findings;
    }

    /// <summary>What the links in letters of the practice's programs, drafts included, are called.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="without">A program that is left out; null for none.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task<IReadOnlyList<string>> LinkNamesAsync(GerminalDb db, Guid? without, CancellationToken stop)
    {
        var drafts = await db.Programs.AsNoTracking().Where(p => p.Id != without).Select(p => p.Draft).ToListAsync(stop);
        var kept = await db.Letters.AsNoTracking().Select(l => l.Body).ToListAsync(stop);
        return
        [
            .. drafts
                .Select(d => ProgramFile.Read(d).Program)
                .OfType<ProgramDefinition>()
                .SelectMany(LinkNames)
                .Concat(kept.SelectMany(LetterLinks.Names))
                .Distinct()
                .Order(),
        ];
    }

    private static IEnumerable<string> LinkNames(ProgramDefinition program) => program.AllSteps.OfType<EmailStep>().SelectMany(s => LetterLinks.Names(s.Body));

    /// <summary>
    /// What would hold people back: no address, no consent, a merge field without a value. Looks at those it can start for, as the
    /// engine judges it: of those who have its tag, list, stage or date; where nobody has, of everybody. Up to 2,000.
    /// </summary>
    public async Task<Audience> AudienceAsync(GerminalDb db, Guid programId, ProgramDefinition program, Instant now, CancellationToken stop)
    {
        var engine = await EngineWithAsync(db, programId, program, now, stop);
        var practice = engine.Practice;
        var dates = program.StartsWhen.OfType<OccasionTrigger>().Select(o => o.Date).ToList();
        var candidates =
            dates.Count > 0
                ? db.People.AsNoTracking().Where(p => db.KeyDates.Any(d => d.PersonId == p.Id && dates.Contains(d.Name)))
                : Candidates(db, program, practice.RulesAt(now));
        var ids = await candidates.OrderBy(p => p.SortName).Select(p => p.Id).Take(AudienceLooked).ToListAsync(stop);
        var anybody = ids.Count == 0;
        if (anybody)
        {
            ids = await db.People.AsNoTracking().Where(p => !p.DoNotContact).OrderBy(p => p.SortName).Select(p => p.Id).Take(AudienceLooked).ToListAsync(stop);
        }

        // An occasion keys its run by itself: that they have been through it before does not keep them from it (rule 5.3).
        var occasions = program.StartsWhen.Any(t => t is OccasionTrigger or AppointmentTrigger);
        var found = new Dictionary<(string Pointer, string Text), List<PersonFacts>>();
        var looked = 0;
        await foreach (var (person, effects) in StartingAsync(db, engine, programId, ids, now, stop))
        {
            if (
                !effects.OfType<RunStarted>().Any()
                && !(occasions && effects.OfType<StartRefused>().FirstOrDefault()?.Reason is { } reason && AboutTheLastTime.Contains(reason))
            )
            {
                continue;
            }

            looked++;
            foreach (var lack in Lacks(program, person, practice, now))
            {
                if (!found.TryGetValue(lack, out var list))
                {
                    found[lack] = list = [];
                }

                list.Add(person);
            }
        }

        var findings = found
            .OrderBy(f => f.Key.Pointer, StringComparer.Ordinal)
            .ThenByDescending(f => f.Value.Count)
            .Select(f => new AudienceFinding(f.Key.Text, f.Value.Count, [.. f.Value.Take(8).Select(p => (p.Id, p.Name))], f.Key.Pointer))
            .ToList();
        return new Audience(looked, anybody, findings);
    }

    private static readonly string[] AboutTheLastTime = [Reason.AlreadyBeen.Word(), Reason.AlreadyRunning.Word(), Reason.TooSoon.Word()];

    private IEnumerable<(string Pointer, string Text)> Lacks(ProgramDefinition program, PersonFacts person, Practice practice, Instant now)
    {
        // One line for each channel and what it is used for, not for each step of it.
        var places = new StepFlow(program).Steps;
        var said = new HashSet<string>(StringComparer.Ordinal);
        foreach (
            var (channel, place) in places
                .Where(p => p.Step.Channel is not null)
                .DistinctBy(p => (p.Step.Channel, p.Step.To, program.PurposeOf(p.Step), program.TopicOf(p.Step)))
                .Select(p => (p.Step.Channel!.Value, p))
        )
        {
            var (step, pointer) = (place.Step, place.Pointer);
            if (step.To is not null)
            {
                // Of others only whether anybody is there: how each of them stands is asked when it goes.
                if (!Readers.Of(practice, person, step).Any() && said.Add(NobodyThere(step.To)))
                {
                    yield return (pointer, NobodyThere(step.To));
                }

                continue;
            }

            if (!Addresses.IsWellFormed(channel, person.AddressOf(channel)))
            {
                if (said.Add(NoAddress(channel)))
                {
                    yield return (pointer, NoAddress(channel));
                }

                continue;
            }

            var consent = TouchEngine.ConsentFor(practice, person, program, step, channel, now);
            var words = consent.Verdict switch
            {
                ConsentVerdict.Withdrawn => Say($"Said no to {ContactWords.Many(channel)}"),
                ConsentVerdict.Missing => Say($"Nobody has recorded that they may be {ContactWords.Reached(channel)}"),
                _ => null,
            };
            if (words is not null && said.Add(words))
            {
                yield return (pointer, words);
            }
        }

        // And one for each field, at the first letter that needs it.
        var told = new HashSet<string>(StringComparer.Ordinal);
        foreach (var place in places)
        {
            if (
                place.Step.Channel is { } by
                && Readers.Find(practice, person, place.Step, null) is { } to
                && (place.Step.To is not null || person.AddressOf(by) is not null)
            )
            {
                foreach (var field in letters.Missing(place.Step, to, practice, practice.SenderFor(person, place.Step), now).Where(told.Add))
                {
                    if (MergeFields.IsSentence(field))
                    {
                        yield return (place.Pointer, field);
                        continue;
                    }

                    var words = field.Replace("person.", "", StringComparison.Ordinal).Replace('.', ' ').Replace('_', ' ');
                    yield return (place.Pointer, Say($"{char.ToUpperInvariant(words[0])}{words[1..]} missing"));
                }
            }
        }
    }

    private static string NobodyThere(SendTo to) => to is ToRelated related ? $"No {related.Role}" : Said("No owner");

    private static string NoAddress(Channel channel) =>
        channel switch
        {
            Channel.Email => Said("No email address"),
            Channel.Text => Said("No mobile number"),
            Channel.Call => Said("No number to call"),
            _ => Said("No postal address"),
        };

    /// <summary>Those for whom the program's trigger has come true already.</summary>
    private static IQueryable<PersonRow> Candidates(GerminalDb db, ProgramDefinition program, RuleMoment moment)
    {
        var wanted = program
            .StartsWhen.Select(t =>
                t switch
                {
                    TagAdded tag => (Rule)new Leaf("tags", RuleOp.Has, [tag.Tag]),
                    ListJoined list => new Leaf("lists", RuleOp.Has, [list.List]),
                    SegmentJoined segment => segment.Asked,
                    StageEntered stage => new Leaf("stage", RuleOp.Is, [stage.Stage]),
                    _ => null,
                }
            )
            .OfType<Rule>();
        return db.Matching(new AnyOf([.. wanted]), moment).AsNoTracking();
    }

    /// <summary>What the engine makes of starting a program now, person by person; a thousand are read at a time.</summary>
    private static async IAsyncEnumerable<(PersonFacts Person, IReadOnlyList<Effect> Effects)> StartingAsync(
        GerminalDb db,
        TouchEngine engine,
        Guid programId,
        IReadOnlyList<Guid> ids,
        Instant now,
        [EnumeratorCancellation] CancellationToken stop
    )
    {
        foreach (var chunk in ids.Chunk(1000))
        {
            var facts = await FactsReading.LoadAsync(db, chunk, stop, engine);
            var states = await db.States.AsNoTracking().Where(s => chunk.Contains(s.PersonId)).ToDictionaryAsync(s => s.PersonId, s => s.State, stop);
            foreach (var id in chunk.Where(facts.ContainsKey))
            {
                var state = states.TryGetValue(id, out var json) ? PersonStateJson.Read(json) : PersonState.Empty;
                yield return (facts[id], engine.React(facts[id], state, new StartedByHand(now, programId, "", true)).Effects);
            }
        }
    }

    /// <summary>Who would start now, judged by the engine itself on a shelf where the program is on (rule 5.4).</summary>
    public async Task<WhoStarts> WhoStartsAsync(GerminalDb db, Guid programId, ProgramDefinition program, Instant now, CancellationToken stop)
    {
        var engine = await EngineWithAsync(db, programId, program, now, stop);
        var ids = await Candidates(db, program, engine.Practice.RulesAt(now)).OrderBy(p => p.SortName).Select(p => p.Id).ToListAsync(stop);
        var starting = new List<(Guid, string)>();
        var refused = new Dictionary<string, int>(StringComparer.Ordinal);
        await foreach (var (person, effects) in StartingAsync(db, engine, programId, ids, now, stop))
        {
            if (effects.OfType<RunStarted>().Any())
            {
                starting.Add((person.Id, person.Name));
            }
            else if (effects.OfType<StartRefused>().FirstOrDefault() is { } refusal)
            {
                refused[refusal.Reason] = refused.GetValueOrDefault(refusal.Reason) + 1;
            }
        }

        return new WhoStarts(starting, refused);
    }

    /// <summary>The practice's engine with one program on in the given wording, whatever its status is.</summary>
    public async Task<TouchEngine> EngineWithAsync(GerminalDb db, Guid programId, ProgramDefinition program, Instant now, CancellationToken stop)
    {
        var (known, _) = await engines.OfAsync(db, stop);
        var draft = new ProgramVersion(programId, int.MaxValue, program);
        return new TouchEngine(
            known.Practice,
            new ProgramShelf(
                [.. known.Shelf.Versions, draft],
                [.. known.Shelf.On.Where(p => p.Current.ProgramId != programId), new ProgramOn(draft, now)]
            ),
            letters
        );
    }

    /// <summary>The practice's engine as it is.</summary>
    public async Task<TouchEngine> EngineAsync(GerminalDb db, CancellationToken stop) => (await engines.OfAsync(db, stop)).Engine;

    /// <summary>
    /// Publishes the draft as a new version and switches the program on; runs under way stay on their version (rule 13.1).
    /// </summary>
    /// <returns>The new version's number.</returns>
    public static async Task<int> PublishAsync(GerminalDb db, ProgramRow program, string by, Instant now, CancellationToken stop)
    {
        var before = program.Status is "on" or "paused" ? await CurrentAsync(db, program, stop) : null;
        program.CurrentVersion++;
        program.OnSince = program.Status == "on" ? program.OnSince : now;
        program.Status = "on";
        db.ProgramVersions.Add(
            new ProgramVersionRow
            {
                ProgramId = program.Id,
                Version = program.CurrentVersion,
                PracticeId = program.PracticeId,
                Definition = program.Draft,
                PublishedAt = now,
                By = by,
            }
        );
        await db.SaveChangesAsync(stop);

        // Whom it waits for already stays known; who matches what is new has not begun to.
        var known = before?.StartsWhen.OfType<SegmentJoined>().Select(t => t.Key).ToHashSet(StringComparer.Ordinal) ?? [];
        var waits = ShelfReading.Definition(program.Draft).StartsWhen.OfType<SegmentJoined>().Where(t => !known.Contains(t.Key)).ToList();
        if (waits.Count > 0)
        {
            await SegmentSeeds.NoteAsync(db, await PracticeReading.LoadAsync(db, stop), program.Id, waits, now, stop);
        }

        await PracticeClock.LookAgainAsync(db, stop);
        return program.CurrentVersion;
    }

    private static async Task<ProgramDefinition> CurrentAsync(GerminalDb db, ProgramRow program, CancellationToken stop) =>
        ShelfReading.Definition(
            await db.ProgramVersions.Where(v => v.ProgramId == program.Id && v.Version == program.CurrentVersion).Select(v => v.Definition).SingleAsync(stop)
        );

    /// <summary>Those on their way on an older version, and whose next date changes if they move to the newest (rule 13.1).</summary>
    public async Task<(int OnOlder, IReadOnlyList<(Guid Id, string Name, Instant Now, Instant Then)> Changing)> OlderRunsAsync(
        GerminalDb db,
        ProgramRow program,
        Instant now,
        CancellationToken stop
    )
    {
        var older = db.Runs.Where(r => r.ProgramId == program.Id && r.EndedAt == null && r.Version < program.CurrentVersion);
        var ids = await older.OrderBy(r => r.StartedAt).Select(r => r.PersonId).Distinct().Take(AudienceLooked).ToListAsync(stop);
        var engine = await EngineAsync(db, stop);
        var facts = await FactsReading.LoadAsync(db, ids, stop, engine);
        var states = await db
            .States.AsNoTracking()
            .Where(s => ids.Contains(s.PersonId))
            .ToDictionaryAsync(s => s.PersonId, s => PersonStateJson.Read(s.State), stop);
        var changing = new List<(Guid, string, Instant, Instant)>();
        foreach (var id in ids)
        {
            var after = engine.React(facts[id], states[id], new MovedToVersion(now, program.Id, program.CurrentVersion)).State;
            foreach (var run in states[id].Runs.Where(r => r.ProgramId == program.Id))
            {
                var then = after.Runs.FirstOrDefault(r => r.Id == run.Id)?.Touch.Due ?? Instant.MaxValue;
                if (then != run.Touch.Due)
                {
                    changing.Add((id, facts[id].Name, run.Touch.Due, then));
                }
            }
        }

        return (await older.CountAsync(stop), changing);
    }

    /// <summary>Writes that something happened to everybody who is on a program: they are moved to its newest version, or taken off.</summary>
    /// <returns>To how many.</returns>
    public static Task<int> ForAllRunsAsync(GerminalDb db, ProgramRow program, Happening happening, string by, CancellationToken stop)
    {
        var (kind, said) = EventKinds.Of(happening);
        var (now, data) = (happening.At, System.Text.Json.JsonSerializer.Serialize(said));
        return db.Database.ExecuteSqlAsync(
            $"""
            INSERT INTO events (practice_id, person_id, at, kind, data, by)
            SELECT DISTINCT practice_id, person_id, {now}::timestamptz, {kind}, {data}::jsonb, {by} FROM runs WHERE program_id = {program.Id} AND practice_id = {program.PracticeId} AND ended_at IS NULL
            """,
            stop
        );
    }

    /// <summary>Freezes or resumes a program's runs (rule 13.2). What fell due meanwhile is judged at the moment of resuming.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="program">The program.</param>
    /// <param name="paused">Whether it is frozen or goes on.</param>
    /// <param name="until">When a pause ends by itself; null for one without an end.</param>
    /// <param name="now">Practice time.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task SetPausedAsync(GerminalDb db, ProgramRow program, bool paused, Instant? until, Instant now, CancellationToken stop)
    {
        program.Status = paused ? "paused" : "on";
        program.PausedUntil = until;
        await db.SaveChangesAsync(stop);
        await PracticeClock.LookAgainAsync(db, stop);
        if (!paused)
        {
            await PracticeClock.JudgeNowAsync(db, program.Id, now, stop);
        }
    }

    /// <summary>Lets the programs of a practice go on whose pause is over (rule 13.2).</summary>
    /// <returns>False when there was none.</returns>
    public static async Task<bool> ResumeWhatIsOverAsync(GerminalDb db, Instant now, CancellationToken stop)
    {
        // Of several workers one lets a program go on; the others leave it to them.
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var over = await db
            .Programs.FromSql($"SELECT * FROM programs WHERE practice_id = {db.PracticeId} AND status = 'paused' AND paused_until <= {now} ORDER BY id FOR UPDATE SKIP LOCKED")
            .ToListAsync(stop);
        foreach (var program in over)
        {
            await SetPausedAsync(db, program, false, null, now, stop);
        }

        await transaction.CommitAsync(stop);

        return over.Count > 0;
    }
}
