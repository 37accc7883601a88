using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Service.Engine;
using Germinal.Store.Rows;
using NodaTime;

namespace Germinal.Service.Tests;

/// <summary>What stands in the event log is written and read in one place, and nothing is lost on the way.</summary>
public sealed class EventKindsTests
{
    private static readonly Instant At = Instant.FromUtc(2027, 3, 1, 15, 0);
    private static readonly Guid Program = Guid.Parse("aaaaaaaa-0000-0000-0000-000000000002");
    private static readonly Guid Touch = Guid.Parse("aaaaaaaa-0000-0000-0000-000000000003");

    private static readonly Happening[] Known =
    [
        new StartedByHand(At, Program, "Ada"),
        new StartedByHand(At, Program, "Ada", true),
        new StartedByHand(At, Program, "Ada", ByBroadcast: true),
        new TagPutOn(At, "warm"),
        new TagTakenOff(At, "warm"),
        new JoinedList(At, "Letter"),
        new LeftList(At, "Letter"),
        new EnteredStage(At, "Planning/Client", "Planning/Inquiry"),
        new EnteredStage(At, "Planning/Client"),
        new GivenToOwner(At, Program),
        new Inquired(At, "Contact"),
        new Inquired(At, null),
        new InquiriesAnswered(At),
        new Won(At),
        new Lost(At, "price"),
        new AppointmentMade(At, "k", "review", At + Duration.FromDays(3)),
        new AppointmentMade(At, "k", null, At + Duration.FromDays(4), true),
        new AppointmentCancelled(At, "k", "review"),
        new Opened(At, Program, "a"),
        new FollowedLink(At, Program, "a", "plan"),
        new Replied(At, Channel.Text, Program, "a"),
        new Replied(At, Channel.Email),
        new TextedWord(At, "QUOTE"),
        new Bounced(At, Program, "a", true),
        new Bounced(At, Program, "a", false, Channel.Text),
        new ConsentGiven(At, Channel.Email, true),
        new ConsentGiven(At, Channel.Text, false, true),
        new TaskEnded(At, Touch, "spoke", "likes it"),
        new TaskEnded(At, Touch, null),
        new TaskReopened(At, Touch, Program, "a"),
        new TouchMarked(At, Touch, TouchMark.Held),
        new TouchMarked(At, Touch, TouchMark.Dropped),
        new TouchMarked(At, Touch, null),
        new TouchMovedTo(At, Touch, new LocalDate(2027, 3, 9)),
        new TouchMovedTo(At, Touch, null),
        new ConsentOverruled(At, Touch, "Ada", "they asked by telephone"),
        new RunStoppedByHand(At, Touch, "Ada"),
        new StartTakenBack(At, Touch, "Ada"),
        new ProgramPaused(At, Program),
        new ProgramPaused(At, Program, new LocalDate(2027, 6, 1)),
        new ProgramResumed(At, Program),
        new ProgramStoppedByHand(At, Program),
        new MovedToVersion(At, Program, 12),
        new Added(At, "fair"),
        new FactsChanged(At),
        new LeftForGood(At, "do-not-contact"),
        new LeftForGood(At, "do-not-contact", new LocalDate(2027, 6, 1)),
        new LeftForGood(At, "died"),
        new LeftForGood(At, "archived"),
        new LeftForGood(At, "merged"),
        new MayBeContacted(At),
    ];

    public static TheoryData<int> Everything { get; } = [.. Enumerable.Range(0, Known.Length)];

    [Theory]
    [MemberData(nameof(Everything))]
    public void What_is_written_is_read_again(int which)
    {
        var happening = Known[which];
        var (kind, data) = EventKinds.Of(happening);
        var read = EventKinds.ToHappening(
            new EventRow
            {
                At = At,
                Kind = kind,
                Data = data,
                By = "Ada",
            }
        );
        Assert.Equal(happening, read);
    }

    /// <summary>A kind of happening that is added to the core is either in the list above, or told here why it never is in the log.</summary>
    [Fact]
    public void Every_kind_of_happening_is_looked_at()
    {
        Type[] neverRead =
        [
            // The calendar's and the engine's own: written as handled, or not at all.
            typeof(OccasionCame),
            typeof(StoodInStage),
            typeof(InquiryStoodUnanswered),
            typeof(AppointmentCame),
            typeof(StopDateCame),
            typeof(TaskMissed),
            typeof(NewDay),
            typeof(FinishedProgram),
            // A program's own changes are taken in where they are made; a rehearsal's reaction never comes to the service.
            typeof(FieldSet),
            typeof(StepTaskEnded),
            // Several kinds of the log mean it; see the cases of rule 6.2.
            typeof(LeftForGood),
        ];
        var all = typeof(Happening).Assembly.GetTypes().Where(t => t.IsSubclassOf(typeof(Happening)));
        Assert.Empty(all.Except(neverRead).Except(Known.Select(h => h.GetType())));
    }
}
