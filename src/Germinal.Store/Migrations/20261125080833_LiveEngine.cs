using System;
using Microsoft.EntityFrameworkCore.Migrations;
using NodaTime;
using Npgsql.EntityFrameworkCore.PostgreSQL.Metadata;

#nullable disable

namespace Germinal.Store.Migrations
{
    /// <inheritdoc />
    public partial class LiveEngine : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropColumn(
                name: "swept_until",
                table: "clock");

            migrationBuilder.AddColumn<int>(
                name: "attempts",
                table: "touches",
                type: "integer",
                nullable: false,
                defaultValue: 0);

            migrationBuilder.AddColumn<string>(
                name: "last_answer",
                table: "touches",
                type: "text",
                nullable: true);

            migrationBuilder.AddColumn<Instant>(
                name: "printed_at",
                table: "touches",
                type: "timestamp with time zone",
                nullable: true);

            migrationBuilder.AddColumn<int>(
                name: "priority",
                table: "touches",
                type: "integer",
                nullable: false,
                defaultValue: 50);

            migrationBuilder.AddColumn<Instant>(
                name: "paused_at",
                table: "runs",
                type: "timestamp with time zone",
                nullable: true);

            migrationBuilder.AddColumn<Instant>(
                name: "alarms_from",
                table: "person_states",
                type: "timestamp with time zone",
                nullable: false,
                defaultValueSql: "'-infinity'");

            migrationBuilder.AddColumn<Instant>(
                name: "next_alarm",
                table: "person_states",
                type: "timestamp with time zone",
                nullable: false,
                defaultValueSql: "'-infinity'");

            migrationBuilder.AddColumn<string>(
                name: "set_aside",
                table: "person_states",
                type: "text",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "bounce",
                table: "messages",
                type: "text",
                nullable: true);

            migrationBuilder.AddColumn<Instant>(
                name: "bounced_at",
                table: "messages",
                type: "timestamp with time zone",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "channel",
                table: "messages",
                type: "text",
                nullable: false,
                defaultValue: "email");

            migrationBuilder.AddColumn<Instant>(
                name: "delivered_at",
                table: "messages",
                type: "timestamp with time zone",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "links",
                table: "messages",
                type: "jsonb",
                nullable: false,
                defaultValueSql: "'[]'::jsonb");

            migrationBuilder.AddColumn<Instant>(
                name: "opened_at",
                table: "messages",
                type: "timestamp with time zone",
                nullable: true);

            migrationBuilder.AddColumn<int>(
                name: "parts",
                table: "messages",
                type: "integer",
                nullable: false,
                defaultValue: 0);

            migrationBuilder.AddColumn<string>(
                name: "capacity",
                table: "AspNetUsers",
                type: "jsonb",
                nullable: false,
                defaultValueSql: "'{}'::jsonb");

            migrationBuilder.AddColumn<Guid>(
                name: "deputy_id",
                table: "AspNetUsers",
                type: "uuid",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "feed_key",
                table: "AspNetUsers",
                type: "text",
                nullable: true);

            migrationBuilder.CreateTable(
                name: "appointments",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    person_id = table.Column<Guid>(type: "uuid", nullable: false),
                    type = table.Column<string>(type: "text", nullable: false),
                    at = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    place = table.Column<string>(type: "text", nullable: true),
                    with_id = table.Column<Guid>(type: "uuid", nullable: true),
                    cancelled_at = table.Column<Instant>(type: "timestamp with time zone", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_appointments", x => x.id);
                    table.ForeignKey(
                        name: "fk_appointments_people_person_id",
                        column: x => x.person_id,
                        principalTable: "people",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "counts",
                columns: table => new
                {
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    what = table.Column<string>(type: "text", nullable: false),
                    date = table.Column<LocalDate>(type: "date", nullable: false),
                    taken = table.Column<int>(type: "integer", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_counts", x => new { x.practice_id, x.what, x.date });
                });

            migrationBuilder.CreateTable(
                name: "inquiries",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    person_id = table.Column<Guid>(type: "uuid", nullable: false),
                    form = table.Column<string>(type: "text", nullable: true),
                    how = table.Column<string>(type: "text", nullable: false),
                    text = table.Column<string>(type: "text", nullable: false),
                    received_at = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    answered_at = table.Column<Instant>(type: "timestamp with time zone", nullable: true),
                    answered_by = table.Column<string>(type: "text", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_inquiries", x => x.id);
                    table.ForeignKey(
                        name: "fk_inquiries_people_person_id",
                        column: x => x.person_id,
                        principalTable: "people",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "merges",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    kept_id = table.Column<Guid>(type: "uuid", nullable: false),
                    merged_id = table.Column<Guid>(type: "uuid", nullable: false),
                    at = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    by = table.Column<string>(type: "text", nullable: false),
                    before = table.Column<string>(type: "jsonb", nullable: false),
                    undone_at = table.Column<Instant>(type: "timestamp with time zone", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_merges", x => x.id);
                    table.ForeignKey(
                        name: "fk_merges_people_kept_id",
                        column: x => x.kept_id,
                        principalTable: "people",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "notices",
                columns: table => new
                {
                    id = table.Column<long>(type: "bigint", nullable: false)
                        .Annotation("Npgsql:ValueGenerationStrategy", NpgsqlValueGenerationStrategy.IdentityByDefaultColumn),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    kind = table.Column<string>(type: "text", nullable: false),
                    member_id = table.Column<Guid>(type: "uuid", nullable: true),
                    person_id = table.Column<Guid>(type: "uuid", nullable: true),
                    text = table.Column<string>(type: "text", nullable: false),
                    at = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    key = table.Column<string>(type: "text", nullable: true),
                    seen_at = table.Column<Instant>(type: "timestamp with time zone", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_notices", x => x.id);
                    table.ForeignKey(
                        name: "fk_notices_people_person_id",
                        column: x => x.person_id,
                        principalTable: "people",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "opportunities",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    person_id = table.Column<Guid>(type: "uuid", nullable: false),
                    title = table.Column<string>(type: "text", nullable: false),
                    stage = table.Column<string>(type: "text", nullable: false),
                    owner_id = table.Column<Guid>(type: "uuid", nullable: true),
                    status = table.Column<string>(type: "text", nullable: false),
                    lost_reason = table.Column<string>(type: "text", nullable: true),
                    opened_at = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    closed_at = table.Column<Instant>(type: "timestamp with time zone", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_opportunities", x => x.id);
                    table.ForeignKey(
                        name: "fk_opportunities_people_person_id",
                        column: x => x.person_id,
                        principalTable: "people",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "providers",
                columns: table => new
                {
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    name = table.Column<string>(type: "text", nullable: false),
                    trouble = table.Column<string>(type: "text", nullable: true),
                    since = table.Column<Instant>(type: "timestamp with time zone", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_providers", x => new { x.practice_id, x.name });
                });

            migrationBuilder.CreateTable(
                name: "received",
                columns: table => new
                {
                    id = table.Column<long>(type: "bigint", nullable: false)
                        .Annotation("Npgsql:ValueGenerationStrategy", NpgsqlValueGenerationStrategy.IdentityByDefaultColumn),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    person_id = table.Column<Guid>(type: "uuid", nullable: true),
                    guess_id = table.Column<Guid>(type: "uuid", nullable: true),
                    channel = table.Column<string>(type: "text", nullable: false),
                    kind = table.Column<string>(type: "text", nullable: false),
                    from_address = table.Column<string>(type: "text", nullable: false),
                    subject = table.Column<string>(type: "text", nullable: false),
                    text = table.Column<string>(type: "text", nullable: false),
                    quoted = table.Column<string>(type: "text", nullable: false),
                    touch_id = table.Column<Guid>(type: "uuid", nullable: true),
                    at = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    key = table.Column<string>(type: "text", nullable: false),
                    seen_at = table.Column<Instant>(type: "timestamp with time zone", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_received", x => x.id);
                    table.ForeignKey(
                        name: "fk_received_people_person_id",
                        column: x => x.person_id,
                        principalTable: "people",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "tasks",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    person_id = table.Column<Guid>(type: "uuid", nullable: false),
                    member_id = table.Column<Guid>(type: "uuid", nullable: true),
                    kind = table.Column<string>(type: "text", nullable: false),
                    title = table.Column<string>(type: "text", nullable: false),
                    due = table.Column<LocalDate>(type: "date", nullable: false),
                    source = table.Column<string>(type: "text", nullable: false),
                    created_at = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    done_at = table.Column<Instant>(type: "timestamp with time zone", nullable: true),
                    outcome = table.Column<string>(type: "text", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_tasks", x => x.id);
                    table.ForeignKey(
                        name: "fk_tasks_people_person_id",
                        column: x => x.person_id,
                        principalTable: "people",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "visits",
                columns: table => new
                {
                    id = table.Column<long>(type: "bigint", nullable: false)
                        .Annotation("Npgsql:ValueGenerationStrategy", NpgsqlValueGenerationStrategy.IdentityByDefaultColumn),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    person_id = table.Column<Guid>(type: "uuid", nullable: false),
                    touch_id = table.Column<Guid>(type: "uuid", nullable: false),
                    at = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    link = table.Column<int>(type: "integer", nullable: true),
                    by_machine = table.Column<bool>(type: "boolean", nullable: false),
                    agent = table.Column<string>(type: "text", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_visits", x => x.id);
                    table.ForeignKey(
                        name: "fk_visits_people_person_id",
                        column: x => x.person_id,
                        principalTable: "people",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateIndex(
                name: "ix_person_states_next_alarm",
                table: "person_states",
                column: "next_alarm");

            migrationBuilder.CreateIndex(
                name: "ix_person_states_set_aside",
                table: "person_states",
                column: "practice_id",
                filter: "set_aside IS NOT NULL");

            migrationBuilder.CreateIndex(
                name: "ix_events_waiting_person",
                table: "events",
                column: "person_id",
                filter: "handled_at IS NULL");

            migrationBuilder.CreateIndex(
                name: "ix_asp_net_users_feed_key",
                table: "AspNetUsers",
                column: "feed_key",
                unique: true);

            migrationBuilder.CreateIndex(
                name: "ix_appointments_person_id_at",
                table: "appointments",
                columns: new[] { "person_id", "at" });

            migrationBuilder.CreateIndex(
                name: "ix_appointments_practice_id_at",
                table: "appointments",
                columns: new[] { "practice_id", "at" });

            migrationBuilder.CreateIndex(
                name: "ix_inquiries_person_id",
                table: "inquiries",
                column: "person_id");

            migrationBuilder.CreateIndex(
                name: "ix_inquiries_unanswered",
                table: "inquiries",
                columns: new[] { "practice_id", "received_at" },
                filter: "answered_at IS NULL");

            migrationBuilder.CreateIndex(
                name: "ix_merges_kept_id",
                table: "merges",
                column: "kept_id");

            migrationBuilder.CreateIndex(
                name: "ix_notices_person_id",
                table: "notices",
                column: "person_id");

            migrationBuilder.CreateIndex(
                name: "ix_notices_practice_id_key",
                table: "notices",
                columns: new[] { "practice_id", "key" },
                unique: true,
                filter: "key IS NOT NULL");

            migrationBuilder.CreateIndex(
                name: "ix_notices_unseen",
                table: "notices",
                columns: new[] { "practice_id", "at" },
                filter: "seen_at IS NULL");

            migrationBuilder.CreateIndex(
                name: "ix_opportunities_person_id",
                table: "opportunities",
                column: "person_id");

            migrationBuilder.CreateIndex(
                name: "ix_opportunities_practice_id_status_stage_id",
                table: "opportunities",
                columns: new[] { "practice_id", "status", "stage", "id" });

            migrationBuilder.CreateIndex(
                name: "ix_received_person_id_at",
                table: "received",
                columns: new[] { "person_id", "at" });

            migrationBuilder.CreateIndex(
                name: "ix_received_practice_id_key",
                table: "received",
                columns: new[] { "practice_id", "key" },
                unique: true);

            migrationBuilder.CreateIndex(
                name: "ix_received_unseen",
                table: "received",
                columns: new[] { "practice_id", "at" },
                filter: "seen_at IS NULL");

            migrationBuilder.CreateIndex(
                name: "ix_tasks_open",
                table: "tasks",
                columns: new[] { "practice_id", "due" },
                filter: "done_at IS NULL");

            migrationBuilder.CreateIndex(
                name: "ix_tasks_person_id",
                table: "tasks",
                column: "person_id");

            migrationBuilder.CreateIndex(
                name: "ix_visits_person_id_at",
                table: "visits",
                columns: new[] { "person_id", "at" });

            migrationBuilder.CreateIndex(
                name: "ix_visits_touch_id",
                table: "visits",
                column: "touch_id");

            // Everybody has a state from the first moment, however they came in, so that the calendar is worked out for them.
            migrationBuilder.Sql(
                """
                CREATE FUNCTION person_gets_a_state() RETURNS trigger LANGUAGE plpgsql AS
                $$ BEGIN
                  INSERT INTO person_states (person_id, practice_id, state, next_due) SELECT id, practice_id, '{}'::jsonb, 'infinity' FROM added ORDER BY id ON CONFLICT DO NOTHING;
                  RETURN NULL;
                END $$;
                CREATE TRIGGER people_get_a_state AFTER INSERT ON people REFERENCING NEW TABLE AS added FOR EACH STATEMENT EXECUTE FUNCTION person_gets_a_state();
                INSERT INTO person_states (person_id, practice_id, state, next_due) SELECT id, practice_id, '{}'::jsonb, 'infinity' FROM people ORDER BY id ON CONFLICT DO NOTHING;
                """);
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.Sql("DROP TRIGGER people_get_a_state ON people; DROP FUNCTION person_gets_a_state();");
            migrationBuilder.DropTable(
                name: "appointments");

            migrationBuilder.DropTable(
                name: "counts");

            migrationBuilder.DropTable(
                name: "inquiries");

            migrationBuilder.DropTable(
                name: "merges");

            migrationBuilder.DropTable(
                name: "notices");

            migrationBuilder.DropTable(
                name: "opportunities");

            migrationBuilder.DropTable(
                name: "providers");

            migrationBuilder.DropTable(
                name: "received");

            migrationBuilder.DropTable(
                name: "tasks");

            migrationBuilder.DropTable(
                name: "visits");

            migrationBuilder.DropIndex(
                name: "ix_person_states_next_alarm",
                table: "person_states");

            migrationBuilder.DropIndex(
                name: "ix_person_states_set_aside",
                table: "person_states");

            migrationBuilder.DropIndex(
                name: "ix_events_waiting_person",
                table: "events");

            migrationBuilder.DropIndex(
                name: "ix_asp_net_users_feed_key",
                table: "AspNetUsers");

            migrationBuilder.DropColumn(
                name: "attempts",
                table: "touches");

            migrationBuilder.DropColumn(
                name: "last_answer",
                table: "touches");

            migrationBuilder.DropColumn(
                name: "printed_at",
                table: "touches");

            migrationBuilder.DropColumn(
                name: "priority",
                table: "touches");

            migrationBuilder.DropColumn(
                name: "paused_at",
                table: "runs");

            migrationBuilder.DropColumn(
                name: "alarms_from",
                table: "person_states");

            migrationBuilder.DropColumn(
                name: "next_alarm",
                table: "person_states");

            migrationBuilder.DropColumn(
                name: "set_aside",
                table: "person_states");

            migrationBuilder.DropColumn(
                name: "bounce",
                table: "messages");

            migrationBuilder.DropColumn(
                name: "bounced_at",
                table: "messages");

            migrationBuilder.DropColumn(
                name: "channel",
                table: "messages");

            migrationBuilder.DropColumn(
                name: "delivered_at",
                table: "messages");

            migrationBuilder.DropColumn(
                name: "links",
                table: "messages");

            migrationBuilder.DropColumn(
                name: "opened_at",
                table: "messages");

            migrationBuilder.DropColumn(
                name: "parts",
                table: "messages");

            migrationBuilder.DropColumn(
                name: "capacity",
                table: "AspNetUsers");

            migrationBuilder.DropColumn(
                name: "deputy_id",
                table: "AspNetUsers");

            migrationBuilder.DropColumn(
                name: "feed_key",
                table: "AspNetUsers");

            migrationBuilder.AddColumn<Instant>(
                name: "swept_until",
                table: "clock",
                type: "timestamp with time zone",
                nullable: false,
                defaultValue: NodaTime.Instant.FromUnixTimeTicks(0L));
        }
    }
}
