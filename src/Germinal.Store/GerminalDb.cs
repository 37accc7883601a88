using System.Linq.Expressions;
using System.Text.Json;
using Germinal.Core.Engine;
using Germinal.Store.Rows;
using Microsoft.AspNetCore.Identity;
using Microsoft.AspNetCore.Identity.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.ChangeTracking;
using Microsoft.EntityFrameworkCore.Infrastructure;
using NodaTime;

namespace Germinal.Store;

/// <summary>
/// The database. A context sees the rows of <see cref="PracticeId"/> only; without one it sees none. What works for all
/// practices at once (the worker's claims) says so with <c>IgnoreQueryFilters</c> or SQL of its own.
/// </summary>
public sealed class GerminalDb(DbContextOptions<GerminalDb> options) : IdentityDbContext<MemberUser, IdentityRole<Guid>, Guid>(options)
{
    private static readonly JsonSerializerOptions Json = new(JsonSerializerDefaults.Web) { Converters = { new LocalDateJson(), new InstantJson() } };

    /// <summary>The practice whose rows this context sees.</summary>
    public Guid? PracticeId { get; set; }

    public DbSet<PracticeRow> Practices => Set<PracticeRow>();

    /// <summary>The practices that are not stopped, for what is open to everybody.</summary>
    public IQueryable<Guid> OpenPractices => Practices.Where(p => p.StoppedAt == null).Select(p => p.Id);

    /// <summary>The member on whose behalf it works; null where that is nobody's.</summary>
    public Guid? MemberId { get; set; }

    private PracticeRow? known;

    /// <summary>The context's practice, to be read only: asked of the database once, however often it is asked for.</summary>
    public async ValueTask<PracticeRow> OwnPracticeAsync(CancellationToken stop) =>
        known?.Id == PracticeId ? known! : known = await Practices.AsNoTracking().SingleAsync(p => p.Id == PracticeId, stop);

    /// <summary>Takes the practice as it was read a moment ago, and sees its rows from then on.</summary>
    public void Knows(PracticeRow practice) => (known, PracticeId) = (practice, practice.Id);

    /// <summary>Whether the steps of what is being done are saved with the whole of it, in one go.</summary>
    public bool SavesAtTheEnd { get; set; }

    /// <summary>Saves a step, unless the whole is saved at its end.</summary>
    public Task SaveStepAsync(CancellationToken stop) => SavesAtTheEnd ? Task.CompletedTask : SaveChangesAsync(stop);

    private readonly Queue<long> consentIds = new();

    /// <summary>Takes the ids of consent entries to come, so that what speaks of one need not wait for it to be saved.</summary>
    public async Task TakeConsentIdsAsync(int count, CancellationToken stop)
    {
        foreach (var id in await Database.SqlQuery<long>($"SELECT nextval(pg_get_serial_sequence('consent', 'id')) AS \"Value\" FROM generate_series(1, {count})").ToListAsync(stop))
        {
            consentIds.Enqueue(id);
        }
    }

    /// <summary>The id of the next consent entry.</summary>
    public async ValueTask<long> NextConsentIdAsync(CancellationToken stop)
    {
        if (consentIds.Count == 0)
        {
            await TakeConsentIdsAsync(1, stop);
        }

        return consentIds.Dequeue();
    }

    /// <summary>Those whose people it sees, beside nobody's, as PostgreSQL writes an array; null: it sees everybody (<see cref="Sight"/>).</summary>
    public string? Sees => SeesOf is null ? null : $"{{{string.Join(',', SeesOf)}}}";

    /// <summary>The same as ids.</summary>
    public IReadOnlyList<Guid>? SeesOf { get; private set; }

    /// <summary>From now on this context sees only people that one of these members looks after, or nobody, and what hangs on them. To be said before it is used.</summary>
    /// <param name="owners">As <see cref="Sight.OfAsync"/> gives them; null: it goes on seeing everybody.</param>
    public void LimitTo(IEnumerable<Guid>? owners)
    {
        if (owners is null)
        {
            return;
        }

        SeesOf = [.. owners.Order()];

        // As it was configured: what a connection says of itself is without its password.
        var configured = options.Extensions.OfType<RelationalOptionsExtension>().Single().ConnectionString!;
        Database.SetDbConnection(Sight.Connect(configured), contextOwnsConnection: true);
    }

    public DbSet<ClockRow> Clock => Set<ClockRow>();

    public DbSet<SessionRow> Sessions => Set<SessionRow>();

    public DbSet<MemberLinkRow> MemberLinks => Set<MemberLinkRow>();

    public DbSet<DeviceRow> Devices => Set<DeviceRow>();

    public DbSet<PersonRow> People => Set<PersonRow>();

    public DbSet<TagRow> Tags => Set<TagRow>();

    public DbSet<KeyDateRow> KeyDates => Set<KeyDateRow>();

    /// <summary>The filter that keeps a context to its practice's rows.</summary>
    public const string Owned = "owned";

    /// <summary>The filter that leaves out entries of the ledger that were taken back.</summary>
    public const string Standing = "standing";

    public DbSet<ConsentRow> Consent => Set<ConsentRow>();

    public DbSet<SuppressionRow> Suppressions => Set<SuppressionRow>();

    public DbSet<EventRow> Events => Set<EventRow>();

    public DbSet<ActRow> Acts => Set<ActRow>();

    /// <summary>The practice's programs, without those that send broadcasts.</summary>
    public DbSet<ProgramRow> Programs => Set<ProgramRow>();

    /// <summary>The filter that leaves out programs that send broadcasts.</summary>
    public const string Lasting = "lasting";

    /// <summary>All that sends: programs, and those of broadcasts.</summary>
    public IQueryable<ProgramRow> ProgramsAndBroadcasts => Programs.IgnoreQueryFilters([Lasting]);

    public DbSet<BroadcastRow> Broadcasts => Set<BroadcastRow>();

    public DbSet<TallyRow> Tallies => Set<TallyRow>();

    public DbSet<ProgramVersionRow> ProgramVersions => Set<ProgramVersionRow>();

    public DbSet<ImageRow> Images => Set<ImageRow>();

    public DbSet<PersonStateRow> States => Set<PersonStateRow>();

    public DbSet<RunRow> Runs => Set<RunRow>();

    public DbSet<RefusalRow> Refusals => Set<RefusalRow>();

    public DbSet<TouchRow> Touches => Set<TouchRow>();

    public DbSet<MessageRow> Messages => Set<MessageRow>();

    public DbSet<WorkerRow> Workers => Set<WorkerRow>();

    public DbSet<CountRow> Counts => Set<CountRow>();

    public DbSet<HouseholdClaimRow> HouseholdClaims => Set<HouseholdClaimRow>();

    public DbSet<VisitRow> Visits => Set<VisitRow>();

    public DbSet<ReceivedRow> Received => Set<ReceivedRow>();

    public DbSet<ReceivedFileRow> ReceivedFiles => Set<ReceivedFileRow>();

    public DbSet<NoticeRow> Notices => Set<NoticeRow>();

    public DbSet<ProviderRow> Providers => Set<ProviderRow>();

    public DbSet<OpportunityRow> Opportunities => Set<OpportunityRow>();

    public DbSet<OpportunityMoveRow> OpportunityMoves => Set<OpportunityMoveRow>();

    public DbSet<AppointmentRow> Appointments => Set<AppointmentRow>();

    public DbSet<InquiryRow> Inquiries => Set<InquiryRow>();

    public DbSet<TaskRow> Tasks => Set<TaskRow>();

    public DbSet<OwnWordsRow> OwnWords => Set<OwnWordsRow>();

    public DbSet<MergeRow> Merges => Set<MergeRow>();

    public DbSet<ListRow> Lists => Set<ListRow>();

    public DbSet<HouseholdRow> Households => Set<HouseholdRow>();

    public DbSet<RelationRow> Relations => Set<RelationRow>();

    public DbSet<DifferentRow> Different => Set<DifferentRow>();

    public DbSet<SegmentRow> Segments => Set<SegmentRow>();

    public DbSet<LetterRow> Letters => Set<LetterRow>();

    /// <summary>The shelf all practices share; what is on it is seen by everybody.</summary>
    public DbSet<ReadyProgramRow> ReadyPrograms => Set<ReadyProgramRow>();

    public DbSet<KeptWalkRow> KeptWalks => Set<KeptWalkRow>();

    public DbSet<OfferRow> Offers => Set<OfferRow>();

    public DbSet<FigureTableRow> FigureTables => Set<FigureTableRow>();

    public DbSet<FigureRow> Figures => Set<FigureRow>();

    public DbSet<KeptFileRow> KeptFiles => Set<KeptFileRow>();

    public DbSet<ShortLinkRow> ShortLinks => Set<ShortLinkRow>();

    public DbSet<FormRow> Forms => Set<FormRow>();

    public DbSet<SubmissionRow> Submissions => Set<SubmissionRow>();

    public DbSet<SubmittedFileRow> SubmittedFiles => Set<SubmittedFileRow>();

    /// <summary>Mails that no program planned.</summary>
    public DbSet<OwnMailRow> OwnMails => Set<OwnMailRow>();

    public DbSet<MeetingPageRow> MeetingPages => Set<MeetingPageRow>();

    public DbSet<LandingRow> Landings => Set<LandingRow>();

    public DbSet<LandingVersionRow> LandingVersions => Set<LandingVersionRow>();

    public DbSet<LandingVisitRow> LandingVisits => Set<LandingVisitRow>();

    public DbSet<AbsenceRow> Absences => Set<AbsenceRow>();

    public DbSet<OwnCalendarRow> OwnCalendars => Set<OwnCalendarRow>();

    public DbSet<BusyTimeRow> BusyTimes => Set<BusyTimeRow>();

    public DbSet<PostRow> Posts => Set<PostRow>();

    public DbSet<IdeaFeedRow> IdeaFeeds => Set<IdeaFeedRow>();

    public DbSet<IdeaRow> Ideas => Set<IdeaRow>();

    public DbSet<FilmRow> Films => Set<FilmRow>();

    public DbSet<FilmPieceRow> FilmPieces => Set<FilmPieceRow>();

    public DbSet<FilmViewRow> FilmViews => Set<FilmViewRow>();

    public DbSet<ImportRow> Imports => Set<ImportRow>();

    public DbSet<JournalRow> Journal => Set<JournalRow>();

    public DbSet<SettingsChangeRow> SettingsChanges => Set<SettingsChangeRow>();

    public DbSet<ApiKeyRow> ApiKeys => Set<ApiKeyRow>();

    public DbSet<KeptAnswerRow> KeptAnswers => Set<KeptAnswerRow>();

    public DbSet<HookRow> Hooks => Set<HookRow>();

    public DbSet<HookCallRow> HookCalls => Set<HookCallRow>();

    public DbSet<MailAccountRow> MailAccounts => Set<MailAccountRow>();

    public DbSet<SentCopyRow> SentCopies => Set<SentCopyRow>();

    public DbSet<ImportLineRow> ImportLines => Set<ImportLineRow>();

    /// <inheritdoc/>
    protected override void OnModelCreating(ModelBuilder model)
    {
        base.OnModelCreating(model);
        model.HasPostgresExtension("pg_trgm");

        model.Entity<PracticeRow>().HasQueryFilter(p => p.Id != PracticeRow.House || PracticeId == PracticeRow.House);
        model
            .Entity<PracticeRow>()
            .Property(p => p.Settings)
            .HasColumnType("jsonb")
            .HasConversion(
                v => JsonSerializer.Serialize(v, Json),
                v => JsonSerializer.Deserialize<PracticeSettings>(v, Json)!,
                new ValueComparer<PracticeSettings>(false)
            );
        model.Entity<MemberUser>(e =>
        {
            e.HasIndex(m => m.PracticeId);
            e.HasIndex(m => m.FeedKey).IsUnique();
            e.Property(m => m.SignOff).HasDefaultValue("");
            e.Property(m => m.MorningAt).HasDefaultValue("");
            e.Property(m => m.Office).HasDefaultValue("");
            e.Property(m => m.SealedFactor).HasDefaultValue("");
            e.Property(m => m.RecoveryMarks).HasDefaultValueSql("ARRAY[]::text[]");
            e.HasIndex(m => m.MorningDue).HasFilter("morning_due IS NOT NULL");
            e.HasIndex(m => m.MonthlyDue).HasFilter("monthly_due IS NOT NULL");
            e.Property(m => m.Capacity)
                .HasColumnType("jsonb")
                .HasDefaultValueSql("'{}'::jsonb")
                .HasConversion(
                    v => JsonSerializer.Serialize(v, Json),
                    v => JsonSerializer.Deserialize<Dictionary<string, int>>(v, Json)!,
                    new ValueComparer<Dictionary<string, int>>(false)
                );
        });

        model.Entity<IdentityUserPasskey<Guid>>(e =>
        {
            e.ToTable("AspNetUserPasskeys");
            e.HasKey(p => p.CredentialId);
            e.Property(p => p.CredentialId).HasMaxLength(1024);
            e.HasIndex(p => p.UserId);
            e.HasOne<MemberUser>().WithMany().HasForeignKey(p => p.UserId).OnDelete(DeleteBehavior.Cascade);
            e.OwnsOne(p => p.Data).ToJson();
        });
        model.Entity<MemberLinkRow>(e =>
        {
            e.HasIndex(l => l.Mark).IsUnique();
            e.HasOne<MemberUser>().WithMany().HasForeignKey(l => l.MemberId).OnDelete(DeleteBehavior.Cascade);
        });
        model.Entity<DeviceRow>(e =>
        {
            e.HasIndex(d => new { d.MemberId, d.Mark }).IsUnique();
            e.HasOne<MemberUser>().WithMany().HasForeignKey(d => d.MemberId).OnDelete(DeleteBehavior.Cascade);
        });
        model.Entity<SessionRow>(e =>
        {
            e.Property(s => s.FromAddress).HasDefaultValue("");
            e.Property(s => s.FromProgram).HasDefaultValue("");
            e.HasIndex(s => s.MemberId);
            e.HasOne<MemberUser>().WithMany().HasForeignKey(s => s.MemberId).OnDelete(DeleteBehavior.Cascade);
        });
        model.Entity<PersonRow>(e =>
        {
            e.Property(p => p.Edition).IsConcurrencyToken();
            e.HasIndex(p => new
            {
                p.PracticeId,
                p.SortName,
                p.Id,
            });
            e.Property(p => p.StageSort).HasComputedColumnSql("coalesce(stage, '~')", stored: true);
            e.Property(p => p.OwnerSort).HasComputedColumnSql("coalesce(owner_id, 'ffffffff-ffff-ffff-ffff-ffffffffffff'::uuid)", stored: true);
            e.HasIndex(p => new
            {
                p.PracticeId,
                p.StageSort,
                p.Id,
            });
            e.HasIndex(p => new
            {
                p.PracticeId,
                p.OwnerSort,
                p.Id,
            });
            e.HasIndex(p => new { p.PracticeId, p.Stage });
            e.HasIndex(p => new { p.Email, p.PracticeId });
            e.HasIndex(p => new { p.Mobile, p.PracticeId });
            e.HasIndex(p => new { p.OtherPhone, p.PracticeId }).HasFilter("other_phone IS NOT NULL");
            e.HasIndex(p => p.ImportId);
            e.HasIndex(p => new { p.PracticeId, p.SortName }).HasFilter("do_not_contact_to_confirm").HasDatabaseName("ix_people_to_confirm");
            e.HasIndex(p => new { p.PracticeId, p.FirstSort });
            e.Property(p => p.FirstSort).HasDefaultValue("");
            e.HasIndex(p => p.SearchText).HasMethod("gin").HasOperators("gin_trgm_ops");
            e.HasIndex(p => p.HouseholdId).HasFilter("household_id IS NOT NULL");
            e.HasOne<HouseholdRow>().WithMany().HasForeignKey(p => p.HouseholdId).OnDelete(DeleteBehavior.SetNull);
            e.Property(p => p.Lists).HasDefaultValueSql("ARRAY[]::text[]");
            e.Property(p => p.Custom)
                .HasColumnType("jsonb")
                .HasDefaultValueSql("'{}'::jsonb")
                .HasConversion(
                    v => JsonSerializer.Serialize(v, Json),
                    v => JsonSerializer.Deserialize<Dictionary<string, string>>(v, Json)!,
                    new ValueComparer<Dictionary<string, string>>(
                        (a, b) => a!.Count == b!.Count && !a.Except(b).Any(),
                        v => v.Count,
                        v => new Dictionary<string, string>(v)
                    )
                );
        });
        model.Entity<TagRow>().HasKey(t => new { t.PracticeId, t.Name });
        model.Entity<ListRow>(e =>
        {
            e.ToTable("lists");
            e.HasKey(l => new { l.PracticeId, l.Name });
        });
        model.Entity<KeyDateRow>(e =>
        {
            e.HasKey(d => new { d.PersonId, d.Name });
            e.HasIndex(d => new
            {
                d.PracticeId,
                d.Name,
                d.Month,
                d.Day,
            });
            e.HasOne<PersonRow>().WithMany().HasForeignKey(d => d.PersonId).OnDelete(DeleteBehavior.Cascade);
        });
        model.Entity<ConsentRow>(e =>
        {
            e.HasQueryFilter(Standing, c => c.TakenBackAt == null);
            e.HasIndex(c => new { c.PersonId, c.At });
            e.HasOne<PersonRow>().WithMany().HasForeignKey(c => c.PersonId).OnDelete(DeleteBehavior.Cascade);
        });
        model.Entity<SuppressionRow>().HasKey(s => new { s.PracticeId, s.Address });
        model.Entity<EventRow>(e =>
        {
            e.Property(v => v.Data)
                .HasColumnType("jsonb")
                .HasConversion(
                    v => JsonSerializer.Serialize(v, Json),
                    v => JsonSerializer.Deserialize<Dictionary<string, string>>(v, Json)!,
                    new ValueComparer<Dictionary<string, string>>(false)
                );
            e.HasIndex(v => new
            {
                v.PersonId,
                v.At,
                v.Id,
            });
            e.HasIndex(v => new { v.At, v.Id }).HasFilter("handled_at IS NULL").HasDatabaseName("ix_events_waiting");
            e.HasIndex(v => v.PersonId).HasFilter("handled_at IS NULL").HasDatabaseName("ix_events_waiting_person");
            e.HasIndex(v => v.Key).IsUnique().HasFilter("key IS NOT NULL");
            e.HasIndex(v => v.ActId).HasFilter("act_id IS NOT NULL");
            e.HasOne<PersonRow>().WithMany().HasForeignKey(v => v.PersonId).OnDelete(DeleteBehavior.Cascade);
        });
        model.Entity<ActRow>().HasIndex(a => new { a.PracticeId, a.At });
        model.Entity<ApiKeyRow>(e =>
        {
            e.HasIndex(k => k.Mark).IsUnique();
            e.HasIndex(k => k.PracticeId);
        });
        model.Entity<KeptAnswerRow>(e =>
        {
            e.HasKey(a => new { a.KeyId, a.Name });
            e.HasIndex(a => a.At);
            e.HasOne<ApiKeyRow>().WithMany().HasForeignKey(a => a.KeyId).OnDelete(DeleteBehavior.Cascade);
        });
        model.Entity<HookRow>().HasIndex(h => h.PracticeId);
        model.Entity<MailAccountRow>(e =>
        {
            e.HasKey(a => a.MemberId);
            e.HasIndex(a => a.PracticeId);
            Jsonb(e.Property(a => a.Out));
            Jsonb(e.Property(a => a.In));
            e.HasOne<MemberUser>().WithMany().HasForeignKey(a => a.MemberId).OnDelete(DeleteBehavior.Cascade);
        });
        model.Entity<SentCopyRow>(e =>
        {
            e.ToTable("sent_copies");
            e.HasIndex(c => c.MessageId).IsUnique();
            e.HasIndex(c => c.NextTry);
            e.HasIndex(c => c.MemberId);
            e.HasOne<MailAccountRow>().WithMany().HasForeignKey(c => c.MemberId).OnDelete(DeleteBehavior.Cascade);
        });
        model.Entity<HookCallRow>(e =>
        {
            e.HasIndex(c => new { c.PracticeId, c.Id });
            e.HasIndex(c => c.PersonId);
            e.HasIndex(c => c.NextAt).HasFilter("taken_at IS NULL").HasDatabaseName("ix_hook_calls_due");
            e.HasOne<HookRow>().WithMany().HasForeignKey(c => c.HookId).OnDelete(DeleteBehavior.Cascade);
        });
        model.Entity<SettingsChangeRow>(e =>
        {
            e.ToTable("settings_changes");
            e.Property(c => c.Before).HasColumnType("jsonb");
            e.Property(c => c.After).HasColumnType("jsonb");
            e.HasIndex(c => new { c.PracticeId, c.Id });
        });
        model.Entity<JournalRow>(e =>
        {
            e.HasIndex(j => new { j.PracticeId, j.Id });
            e.HasIndex(j => new { j.PracticeId, j.MemberId, j.Id });
            e.HasIndex(j => new { j.ConcernsId, j.Id }).HasFilter("concerns_id IS NOT NULL");
            e.HasIndex(j => new { j.ProgramId, j.Id }).HasFilter("program_id IS NOT NULL");
            e.HasIndex(j => j.ActId).HasFilter("act_id IS NOT NULL");
        });
        model.Entity<ProgramRow>(e =>
        {
            e.HasIndex(p => new { p.PracticeId, p.Name }).IsUnique();
            e.HasQueryFilter(Lasting, p => !p.Broadcast);
        });
        model.Entity<BroadcastRow>(e =>
        {
            e.Property(b => b.Edition).IsConcurrencyToken();
            Jsonb(e.Property(b => b.Plan));
            Jsonb(e.Property(b => b.Decided));
            e.HasIndex(b => new { b.PracticeId, b.CreatedAt });
            e.HasIndex(b => b.ProgramId).IsUnique().HasFilter("program_id IS NOT NULL");
            e.HasIndex(b => b.BeginsAt).HasFilter("status = 'waiting'").HasDatabaseName("ix_broadcasts_waiting");
            e.HasIndex(b => b.DecideAt).HasFilter("decide_at IS NOT NULL");
            e.HasIndex(b => b.PracticeId).HasFilter("status = 'going'").HasDatabaseName("ix_broadcasts_going");
            e.HasIndex(b => b.AgainOf).IsUnique().HasFilter("again_of IS NOT NULL");
            e.HasIndex(b => new { b.SeriesId, b.SeriesDate }).IsUnique().HasFilter("series_id IS NOT NULL");
        });
        model.Entity<TallyRow>(e =>
        {
            e.HasIndex(t => new { t.PracticeId, t.ProgramId });
            e.Property(t => t.Detail).HasDefaultValue("");
            e.Property(t => t.Hour).HasDefaultValue((short)-1);
        });
        model.Entity<ProgramVersionRow>().HasKey(v => new { v.ProgramId, v.Version });
        model.Entity<PersonStateRow>(e =>
        {
            e.ToTable("person_states");
            e.HasKey(s => s.PersonId);
            e.Property(s => s.State).HasColumnType("jsonb");
            e.Property(s => s.NextAlarm).HasDefaultValueSql("'-infinity'");
            e.Property(s => s.AlarmsFrom).HasDefaultValueSql("'-infinity'");
            e.HasIndex(s => new { s.NextDue, s.PersonId });
            e.HasIndex(s => s.NextAlarm);
            e.Property(s => s.LastTouchAt).HasDefaultValueSql("'-infinity'");
            e.Property(s => s.NextTouchAt).HasDefaultValueSql("'infinity'");
            e.HasIndex(s => new
            {
                s.PracticeId,
                s.NextTouchAt,
                s.PersonId,
            });
            e.HasIndex(s => new
            {
                s.PracticeId,
                s.LastTouchAt,
                s.PersonId,
            });
            e.HasIndex(s => s.PracticeId).HasFilter("set_aside IS NOT NULL").HasDatabaseName("ix_person_states_set_aside");
            e.HasOne<PersonRow>().WithOne(p => p.Memory).HasForeignKey<PersonStateRow>(s => s.PersonId).OnDelete(DeleteBehavior.Cascade);
        });
        model.Entity<RunRow>(e =>
        {
            Jsonb(e.Property(r => r.Cause));
            e.HasIndex(r => new { r.PersonId, r.StartedAt });
            e.HasIndex(r => new { r.ProgramId, r.EndedAt });
            e.HasOne<PersonRow>().WithMany().HasForeignKey(r => r.PersonId).OnDelete(DeleteBehavior.Cascade);
        });
        model.Entity<RefusalRow>(e =>
        {
            Jsonb(e.Property(r => r.Cause));
            e.HasIndex(r => new { r.PracticeId, r.At }).HasFilter("dismissed_at IS NULL");
            e.HasIndex(r => r.PersonId);
            e.HasIndex(r => r.ProgramId);
            e.HasOne<PersonRow>().WithMany().HasForeignKey(r => r.PersonId).OnDelete(DeleteBehavior.Cascade);
        });
        model.Entity<TouchRow>(e =>
        {
            Jsonb(e.Property(t => t.Plan));
            e.Property(t => t.Status).HasConversion(s => s.Word(), w => TouchStatuses.Read(w));
            e.Property(t => t.Checks)
                .HasColumnType("jsonb")
                .HasConversion(
                    v => JsonSerializer.Serialize(v, Json),
                    v => JsonSerializer.Deserialize<List<Check>>(v, Json)!,
                    new ValueComparer<List<Check>>(false)
                );
            e.HasIndex(t => new { t.PersonId, t.Due });
            e.HasIndex(t => new
            {
                t.PracticeId,
                t.Status,
                t.Due,
                t.Id,
            })
                .HasFilter("status IN ('planned','handing','uncertain','blocked','open')")
                .HasDatabaseName("ix_touches_unsettled");
            e.HasIndex(t => new { t.PracticeId, t.ClosedAt }).HasFilter("kind = 'call' AND status = 'done'").HasDatabaseName("ix_touches_calls_made");
            e.HasIndex(t => new { t.PracticeId, t.ClosedAt, t.Kind }).HasFilter("status = 'done' AND kind IN ('call', 'note', 'post')").HasDatabaseName("ix_touches_made");
            e.Property(t => t.Priority).HasDefaultValue(50);
            e.HasIndex(t => t.LeasedUntil).HasFilter("status = 'handing'").HasDatabaseName("ix_touches_handing");
            e.HasIndex(t => t.ReaderId).HasFilter("reader_id IS NOT NULL");
            e.HasIndex(t => new { t.ProgramId, t.StepId });
            e.HasOne<PersonRow>().WithMany().HasForeignKey(t => t.PersonId).OnDelete(DeleteBehavior.Cascade);
        });
        model.Entity<HouseholdClaimRow>(e =>
        {
            e.HasKey(c => new
            {
                c.HouseholdId,
                c.ProgramId,
                c.StepId,
                c.Date,
            });
            e.HasIndex(c => c.Date);
            e.HasOne<HouseholdRow>().WithMany().HasForeignKey(c => c.HouseholdId).OnDelete(DeleteBehavior.Cascade);
        });
        model
            .Entity<CountRow>()
            .HasKey(c => new
            {
                c.PracticeId,
                c.What,
                c.Date,
            });
        model.Entity<VisitRow>(e =>
        {
            e.HasIndex(v => new
            {
                v.TouchId,
                v.Link,
                v.ByMachine,
            })
                .IsUnique()
                .AreNullsDistinct(false);
            e.HasIndex(v => new { v.PersonId, v.At });
            e.Property(v => v.Count).HasDefaultValue(1);
            e.Property(v => v.LastAt).HasDefaultValueSql("'-infinity'");
            e.HasOne<PersonRow>().WithMany().HasForeignKey(v => v.PersonId).OnDelete(DeleteBehavior.Cascade);
        });
        model.Entity<ReceivedRow>(e =>
        {
            e.ToTable("received");
            e.HasIndex(r => new { r.PersonId, r.At });
            e.HasIndex(r => new { r.PracticeId, r.At }).HasFilter("seen_at IS NULL").HasDatabaseName("ix_received_unseen");
            e.HasIndex(r => new { r.PracticeId, r.Key }).IsUnique();
            e.HasIndex(r => r.TouchId).HasFilter("touch_id IS NOT NULL");
            e.HasOne<PersonRow>().WithMany().HasForeignKey(r => r.PersonId).OnDelete(DeleteBehavior.Cascade);
        });
        model.Entity<ReceivedFileRow>(e =>
        {
            e.HasKey(f => f.ReceivedId);
            e.HasOne(f => f.Received).WithOne().HasForeignKey<ReceivedFileRow>(f => f.ReceivedId).OnDelete(DeleteBehavior.Cascade);
        });
        model.Entity<NoticeRow>(e =>
        {
            e.HasIndex(n => new { n.PracticeId, n.At }).HasFilter("seen_at IS NULL").HasDatabaseName("ix_notices_unseen");
            e.HasIndex(n => new { n.PracticeId, n.Key }).IsUnique().HasFilter("key IS NOT NULL");
            e.HasOne<PersonRow>().WithMany().HasForeignKey(n => n.PersonId).OnDelete(DeleteBehavior.Cascade);
        });
        model.Entity<ProviderRow>().HasKey(p => new { p.PracticeId, p.Name });
        model.Entity<OpportunityRow>(e =>
        {
            e.HasIndex(o => o.PersonId);
            e.HasIndex(o => new
            {
                o.PracticeId,
                o.Status,
                o.Stage,
                o.Id,
            });
            e.Property(o => o.Worth).HasPrecision(14, 2);
            e.HasOne<PersonRow>().WithMany().HasForeignKey(o => o.PersonId).OnDelete(DeleteBehavior.Cascade);
        });
        model.Entity<OpportunityMoveRow>(e =>
        {
            e.HasIndex(m => new { m.OpportunityId, m.At });
            e.HasIndex(m => new { m.PracticeId, m.At });
            e.HasOne<OpportunityRow>().WithMany().HasForeignKey(m => m.OpportunityId).OnDelete(DeleteBehavior.Cascade);
        });
        model.Entity<AppointmentRow>(e =>
        {
            e.HasIndex(a => new { a.PersonId, a.At });
            e.HasIndex(a => new { a.PracticeId, a.At });
            e.HasIndex(a => new { a.WithId, a.At }).HasFilter("cancelled_at IS NULL");
            e.HasIndex(a => new { a.PageId, a.Key }).IsUnique().HasFilter("key IS NOT NULL");
            e.Property(a => a.Minutes).HasDefaultValue(60);
            e.Property(a => a.Words).HasDefaultValue("");
            e.HasOne<PersonRow>().WithMany().HasForeignKey(a => a.PersonId).OnDelete(DeleteBehavior.Cascade);
        });
        model.Entity<InquiryRow>(e =>
        {
            e.HasIndex(i => i.PersonId);
            e.HasIndex(i => new { i.PracticeId, i.ReceivedAt }).HasFilter("answered_at IS NULL").HasDatabaseName("ix_inquiries_unanswered");
            e.HasIndex(i => new
            {
                i.PracticeId,
                i.AnsweredAt,
                i.Id,
            }).HasFilter("answered_at IS NOT NULL").HasDatabaseName("ix_inquiries_answered");
            e.HasIndex(i => new { i.OwnerId, i.ReceivedAt }).HasFilter("owner_id IS NOT NULL");
            e.HasIndex(i => i.DeputyAt).HasFilter("answered_at IS NULL AND deputy_at IS NOT NULL");
            e.Property(i => i.GivenWhy).HasDefaultValue("");
            e.HasOne<PersonRow>().WithMany().HasForeignKey(i => i.PersonId).OnDelete(DeleteBehavior.Cascade);
        });
        model.Entity<TaskRow>(e =>
        {
            e.HasIndex(t => t.PersonId);
            e.HasIndex(t => new { t.PracticeId, t.Due }).HasFilter("done_at IS NULL").HasDatabaseName("ix_tasks_open");
            e.HasIndex(t => new { t.PracticeId, t.DoneAt }).HasFilter("done_at IS NOT NULL").HasDatabaseName("ix_tasks_done");
            e.HasIndex(t => t.SeriesId).HasFilter("series_id IS NOT NULL");
            e.Property(t => t.Rule).HasDefaultValue("");
            e.HasOne<PersonRow>().WithMany().HasForeignKey(t => t.PersonId).OnDelete(DeleteBehavior.Cascade);
        });
        model.Entity<OwnWordsRow>(e =>
        {
            e.HasKey(w => w.TouchId);
            e.HasIndex(w => w.PersonId);
            e.Property(w => w.Subject).HasDefaultValue("");
            e.HasOne<PersonRow>().WithMany().HasForeignKey(w => w.PersonId).OnDelete(DeleteBehavior.Cascade);
        });
        model.Entity<MergeRow>(e =>
        {
            e.Property(m => m.Before).HasColumnType("jsonb");
            e.HasIndex(m => m.KeptId);
            e.HasOne<PersonRow>().WithMany().HasForeignKey(m => m.KeptId).OnDelete(DeleteBehavior.Cascade);
        });
        model.Entity<MessageRow>(e =>
        {
            e.HasKey(m => m.TouchId);
            e.Property(m => m.Channel).HasDefaultValue("email");
            e.Property(m => m.Links)
                .HasColumnType("jsonb")
                .HasDefaultValueSql("'[]'::jsonb")
                .HasConversion(
                    v => JsonSerializer.Serialize(v, Json),
                    v => JsonSerializer.Deserialize<List<LetterLink>>(v, Json)!,
                    new ValueComparer<List<LetterLink>>(false)
                );
            e.HasIndex(m => m.MessageId);
            e.HasIndex(m => new { m.ProgramId, m.SentAt });
            e.HasIndex(m => new { m.PracticeId, m.SentAt });
            e.HasIndex(m => new
            {
                m.Channel,
                m.ToAddress,
                m.SentAt,
            });
            e.HasOne<PersonRow>().WithMany().HasForeignKey(m => m.PersonId).OnDelete(DeleteBehavior.Cascade);
            e.HasIndex(m => m.AboutId).HasFilter("about_id IS NOT NULL");
            e.HasOne<PersonRow>().WithMany().HasForeignKey(m => m.AboutId).OnDelete(DeleteBehavior.Cascade);
        });
        model.Entity<RelationRow>(e =>
        {
            e.HasIndex(r => new
            {
                r.PersonId,
                r.OtherId,
                r.Role,
            }).IsUnique();
            e.HasIndex(r => r.OtherId);
            e.HasOne<PersonRow>().WithMany().HasForeignKey(r => r.PersonId).OnDelete(DeleteBehavior.Cascade);
            e.HasOne<PersonRow>().WithMany().HasForeignKey(r => r.OtherId).OnDelete(DeleteBehavior.Cascade);
        });
        model.Entity<DifferentRow>(e =>
        {
            e.ToTable("different");
            e.HasKey(d => new { d.FirstId, d.SecondId });
            e.HasIndex(d => d.SecondId);
            e.HasOne<PersonRow>().WithMany().HasForeignKey(d => d.FirstId).OnDelete(DeleteBehavior.Cascade);
            e.HasOne<PersonRow>().WithMany().HasForeignKey(d => d.SecondId).OnDelete(DeleteBehavior.Cascade);
        });
        model.Entity<SegmentRow>(e =>
        {
            e.Property(s => s.Rule).HasColumnType("jsonb");
            e.HasIndex(s => new { s.PracticeId, s.Name });
        });
        model.Entity<LetterRow>().HasIndex(l => new { l.PracticeId, l.Name }).IsUnique();
        model.Entity<OfferRow>(e =>
        {
            e.HasIndex(o => new { o.PracticeId, o.Name }).IsUnique();
            e.HasOne<OfferRow>().WithMany().HasForeignKey(o => o.InsteadId).OnDelete(DeleteBehavior.Restrict);
        });
        model.Entity<FigureTableRow>(e =>
        {
            e.HasIndex(f => new { f.PracticeId, f.Name }).IsUnique();
            e.HasIndex(f => f.Key).IsUnique();
            Jsonb(e.Property(f => f.Measures));
        });
        model.Entity<FigureRow>(e =>
        {
            e.ToTable("figures");
            e.HasKey(f => new
            {
                f.TableId,
                f.Area,
                f.Measure,
                f.Month,
            });
            e.HasOne<FigureTableRow>().WithMany().HasForeignKey(f => f.TableId).OnDelete(DeleteBehavior.Cascade);
        });
        model.Entity<KeptFileRow>().HasIndex(f => new { f.PracticeId, f.Name }).IsUnique();
        model.Entity<ShortLinkRow>(e =>
        {
            e.HasKey(l => l.Code);
            e.HasIndex(l => l.TouchId);
            e.HasOne<TouchRow>().WithMany().HasForeignKey(l => l.TouchId).OnDelete(DeleteBehavior.Cascade);
        });
        model.Entity<FormRow>(e =>
        {
            e.HasIndex(f => new { f.PracticeId, f.Name }).IsUnique();
            e.HasIndex(f => f.Slug).IsUnique();
        });
        model.Entity<SubmissionRow>(e =>
        {
            e.HasIndex(s => new { s.FormId, s.Key }).IsUnique();
            e.HasIndex(s => new
            {
                s.FormId,
                s.At,
                s.Id,
            });
            e.HasIndex(s => new { s.PracticeId, s.At }).HasFilter("status = 'doubtful'").HasDatabaseName("ix_submissions_doubtful");
            e.HasIndex(s => s.AskedAt).HasFilter("status = 'unconfirmed'").HasDatabaseName("ix_submissions_unconfirmed");
            e.HasIndex(s => new { s.FormId, s.Print, s.At });
            e.HasIndex(s => new { s.FormId, s.Email, s.At });
            e.HasIndex(s => s.PersonId);
            Jsonb(e.Property(s => s.Answers));
            e.HasOne<FormRow>().WithMany().HasForeignKey(s => s.FormId).OnDelete(DeleteBehavior.Cascade);
            e.HasOne<PersonRow>().WithMany().HasForeignKey(s => s.PersonId).OnDelete(DeleteBehavior.Cascade);
        });
        model.Entity<SubmittedFileRow>(e =>
        {
            e.HasIndex(f => f.SubmissionId);
            e.HasOne<SubmissionRow>().WithMany().HasForeignKey(f => f.SubmissionId).OnDelete(DeleteBehavior.Cascade);
        });
        model.Entity<OwnMailRow>(e =>
        {
            e.HasIndex(m => m.NextTry).HasFilter("status IN ('waiting', 'handing')").HasDatabaseName("ix_own_mails_due");
            e.HasIndex(m => new { m.PracticeId, m.MemberId }).HasFilter("kind = 'by-itself' AND read_at IS NULL").HasDatabaseName("ix_own_mails_unread");
            e.HasIndex(m => m.InquiryId).HasFilter("inquiry_id IS NOT NULL");
            e.HasIndex(m => new
            {
                m.PracticeId,
                m.ToAddress,
                m.CreatedAt,
            });
            e.HasIndex(m => m.PersonId);
            e.Property(m => m.Calendar).HasDefaultValue("");
            e.HasOne<PersonRow>().WithMany().HasForeignKey(m => m.PersonId).OnDelete(DeleteBehavior.Cascade);
            e.HasOne<SubmissionRow>().WithMany().HasForeignKey(m => m.SubmissionId).OnDelete(DeleteBehavior.Cascade);
        });
        model.Entity<MeetingPageRow>(e =>
        {
            e.HasIndex(p => new { p.PracticeId, p.Title });
            e.HasIndex(p => p.Slug).IsUnique();
            Jsonb(e.Property(p => p.Hours));
        });
        model.Entity<LandingRow>(e =>
        {
            e.HasIndex(l => l.LetterId).IsUnique();
            e.HasIndex(l => new { l.PracticeId, l.Title });
            e.HasIndex(l => l.Slug).IsUnique();
            e.HasOne<LetterRow>().WithMany().HasForeignKey(l => l.LetterId).OnDelete(DeleteBehavior.Restrict);
        });
        model.Entity<LandingVersionRow>(e =>
        {
            e.HasKey(v => new { v.LandingId, v.Version });
            e.HasOne<LandingRow>().WithMany().HasForeignKey(v => v.LandingId).OnDelete(DeleteBehavior.Cascade);
        });
        model.Entity<LandingVisitRow>(e =>
        {
            e.HasKey(v => new
            {
                v.LandingId,
                v.Date,
                v.ProgramId,
            });
            e.HasOne<LandingRow>().WithMany().HasForeignKey(v => v.LandingId).OnDelete(DeleteBehavior.Cascade);
        });
        model.Entity<AbsenceRow>().HasIndex(a => new { a.PracticeId, a.Until });
        model.Entity<OwnCalendarRow>(e =>
        {
            e.HasIndex(c => new { c.PracticeId, c.MemberId });
            e.HasIndex(c => c.NextRead).HasFilter("next_read IS NOT NULL");
        });
        model.Entity<BusyTimeRow>(e =>
        {
            e.HasIndex(b => new { b.PracticeId, b.MemberId, b.Until });
            e.HasIndex(b => b.CalendarId);
            e.HasOne<OwnCalendarRow>().WithMany().HasForeignKey(b => b.CalendarId).OnDelete(DeleteBehavior.Cascade);
        });
        model.Entity<PostRow>(e =>
        {
            e.HasIndex(p => p.TaskId).IsUnique().HasFilter("task_id IS NOT NULL");
            e.HasIndex(p => p.TouchId).IsUnique().HasFilter("touch_id IS NOT NULL");
            e.HasIndex(p => new { p.PracticeId, p.CreatedAt });
            e.HasIndex(p => p.NextTry).HasFilter("by_itself AND status IN ('waiting', 'handing')");
            e.HasOne<TaskRow>().WithMany().HasForeignKey(p => p.TaskId).OnDelete(DeleteBehavior.Cascade);
            e.HasOne<PersonRow>().WithMany().HasForeignKey(p => p.PersonId).OnDelete(DeleteBehavior.Cascade);
        });
        model.Entity<IdeaFeedRow>(e =>
        {
            e.HasIndex(f => new { f.PracticeId, f.Address }).IsUnique();
            e.HasIndex(f => f.NextRead);
        });
        model.Entity<IdeaRow>(e =>
        {
            e.HasIndex(i => new { i.FeedId, i.Key }).IsUnique();
            e.HasIndex(i => new { i.PracticeId, i.At });
            e.HasOne<IdeaFeedRow>().WithMany().HasForeignKey(i => i.FeedId).OnDelete(DeleteBehavior.Cascade);
        });
        model.Entity<FilmRow>(e =>
        {
            e.HasIndex(f => f.Slug).IsUnique();
            e.HasIndex(f => new { f.PracticeId, f.Name }).IsUnique();
        });
        model.Entity<FilmPieceRow>(e =>
        {
            e.HasKey(p => new { p.FilmId, p.Number });
            e.HasOne<FilmRow>().WithMany().HasForeignKey(p => p.FilmId).OnDelete(DeleteBehavior.Cascade);
        });
        model.Entity<FilmViewRow>(e =>
        {
            e.HasIndex(v => new { v.FilmId, v.Key }).IsUnique();
            e.HasIndex(v => v.PersonId);
            e.HasOne<PersonRow>().WithMany().HasForeignKey(v => v.PersonId).OnDelete(DeleteBehavior.Cascade);
            e.HasOne<FilmRow>().WithMany().HasForeignKey(v => v.FilmId).OnDelete(DeleteBehavior.Cascade);
        });
        model.Entity<ReadyProgramRow>(e =>
        {
            e.HasIndex(r => r.Name);
            e.HasIndex(r => r.PracticeId);
        });
        model.Entity<KeptWalkRow>(e =>
        {
            e.Property(w => w.Moves).HasColumnType("jsonb");
            e.Property(w => w.Expected).HasColumnType("jsonb");
            e.HasIndex(w => new { w.ProgramId, w.Name }).IsUnique();
            e.HasOne<ProgramRow>().WithMany().HasForeignKey(w => w.ProgramId).OnDelete(DeleteBehavior.Cascade);
        });
        model.Entity<ImportRow>(e =>
        {
            e.HasIndex(i => new { i.PracticeId, i.CreatedAt });
            e.HasIndex(i => new { i.PracticeId, i.HeaderPrint });
            e.Property(i => i.HeaderPrint).HasDefaultValue("");
            e.Property(i => i.Meanings).HasDefaultValueSql("'{}'::jsonb");
            Jsonb(e.Property(i => i.Meanings));
        });
        model.Entity<ImportLineRow>(e =>
        {
            e.HasKey(l => new { l.ImportId, l.Line });
            e.HasIndex(l => new { l.PracticeId, l.Fingerprint });
            e.HasIndex(l => l.PersonId);
            e.HasOne<ImportRow>().WithMany().HasForeignKey(l => l.ImportId).OnDelete(DeleteBehavior.Cascade);
        });

        foreach (var type in model.Model.GetEntityTypes().Where(t => typeof(IOwned).IsAssignableFrom(t.ClrType) && t.ClrType != typeof(MemberUser)))
        {
            var row = Expression.Parameter(type.ClrType, "row");
            var own = Expression.Equal(
                Expression.Convert(Expression.Property(row, nameof(IOwned.PracticeId)), typeof(Guid?)),
                Expression.Property(Expression.Constant(this), nameof(PracticeId))
            );
            type.SetQueryFilter(Owned, Expression.Lambda(own, row));
        }
    }

    /// <summary>A value as its jsonb column holds it, for statements that write many rows at once; null stays null.</summary>
    public static string? ToJson<T>(T? value)
        where T : class => value is null ? null : JsonSerializer.Serialize(value, Json);

    /// <summary>A value out of a jsonb column, read as it is read with its row.</summary>
    public static T FromJson<T>(string json)
        where T : class => JsonSerializer.Deserialize<T>(json, Json)!;

    private static void Jsonb<T>(Microsoft.EntityFrameworkCore.Metadata.Builders.PropertyBuilder<T> property) =>
        property
            .HasColumnType("jsonb")
            .HasConversion(v => JsonSerializer.Serialize(v, Json), v => JsonSerializer.Deserialize<T>(v, Json)!, new ValueComparer<T>(false));

    private sealed class LocalDateJson : System.Text.Json.Serialization.JsonConverter<LocalDate>
    {
        public override LocalDate Read(ref Utf8JsonReader reader, Type typeToConvert, JsonSerializerOptions options) =>
            NodaTime.Text.LocalDatePattern.Iso.Parse(reader.GetString()!).Value;

        public override void Write(Utf8JsonWriter writer, LocalDate value, JsonSerializerOptions options) =>
            writer.WriteStringValue(NodaTime.Text.LocalDatePattern.Iso.Format(value));
    }

    private sealed class InstantJson : System.Text.Json.Serialization.JsonConverter<Instant>
    {
        public override Instant Read(ref Utf8JsonReader reader, Type typeToConvert, JsonSerializerOptions options) =>
            NodaTime.Text.InstantPattern.ExtendedIso.Parse(reader.GetString()!).Value;

        public override void Write(Utf8JsonWriter writer, Instant value, JsonSerializerOptions options) =>
            writer.WriteStringValue(NodaTime.Text.InstantPattern.ExtendedIso.Format(value));
    }
}
