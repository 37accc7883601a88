using System;
using System.Collections.Generic;
using Microsoft.EntityFrameworkCore.Migrations;
using NodaTime;
using Npgsql.EntityFrameworkCore.PostgreSQL.Metadata;

#nullable disable

namespace Germinal.Store.Migrations
{
    /// <inheritdoc />
    public partial class CalendarsPostsFilms : Migration
    {
        /// <summary>Its tables whose changes a page may show.</summary>
        private static readonly string[] Told = ["own_calendars", "posts", "idea_feeds", "ideas", "films", "film_views"];

        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.CreateTable(
                name: "films",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    name = table.Column<string>(type: "text", nullable: false),
                    words = table.Column<string>(type: "text", nullable: false),
                    slug = table.Column<string>(type: "text", nullable: false),
                    content_type = table.Column<string>(type: "text", nullable: false),
                    bytes = table.Column<long>(type: "bigint", nullable: false),
                    milliseconds = table.Column<int>(type: "integer", nullable: false),
                    width = table.Column<int>(type: "integer", nullable: false),
                    height = table.Column<int>(type: "integer", nullable: false),
                    still_id = table.Column<Guid>(type: "uuid", nullable: true),
                    by = table.Column<string>(type: "text", nullable: false),
                    at = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    edition = table.Column<int>(type: "integer", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_films", x => x.id);
                });

            migrationBuilder.CreateTable(
                name: "idea_feeds",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    address = table.Column<string>(type: "text", nullable: false),
                    title = table.Column<string>(type: "text", nullable: false),
                    e_tag = table.Column<string>(type: "text", nullable: false),
                    read_at = table.Column<Instant>(type: "timestamp with time zone", nullable: true),
                    next_read = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    failures = table.Column<int>(type: "integer", nullable: false),
                    problem = table.Column<string>(type: "text", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_idea_feeds", x => x.id);
                });

            migrationBuilder.CreateTable(
                name: "own_calendars",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    member_id = table.Column<Guid>(type: "uuid", nullable: false),
                    name = table.Column<string>(type: "text", nullable: false),
                    sealed_address = table.Column<string>(type: "text", nullable: false),
                    host = table.Column<string>(type: "text", nullable: false),
                    read_at = table.Column<Instant>(type: "timestamp with time zone", nullable: true),
                    next_read = table.Column<Instant>(type: "timestamp with time zone", nullable: true),
                    failures = table.Column<int>(type: "integer", nullable: false),
                    problem = table.Column<string>(type: "text", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_own_calendars", x => x.id);
                });

            migrationBuilder.CreateTable(
                name: "posts",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    task_id = table.Column<Guid>(type: "uuid", nullable: true),
                    touch_id = table.Column<Guid>(type: "uuid", nullable: true),
                    person_id = table.Column<Guid>(type: "uuid", nullable: true),
                    words = table.Column<string>(type: "text", nullable: false),
                    picture_id = table.Column<Guid>(type: "uuid", nullable: true),
                    picture_words = table.Column<string>(type: "text", nullable: false),
                    place = table.Column<string>(type: "text", nullable: false),
                    by_itself = table.Column<bool>(type: "boolean", nullable: false),
                    in_feed = table.Column<bool>(type: "boolean", nullable: false),
                    status = table.Column<string>(type: "text", nullable: false),
                    next_try = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    attempts = table.Column<int>(type: "integer", nullable: false),
                    last_answer = table.Column<string>(type: "text", nullable: false),
                    address = table.Column<string>(type: "text", nullable: false),
                    created_at = table.Column<Instant>(type: "timestamp with time zone", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_posts", x => x.id);
                    table.ForeignKey(
                        name: "fk_posts_people_person_id",
                        column: x => x.person_id,
                        principalTable: "people",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                    table.ForeignKey(
                        name: "fk_posts_tasks_task_id",
                        column: x => x.task_id,
                        principalTable: "tasks",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "film_pieces",
                columns: table => new
                {
                    film_id = table.Column<Guid>(type: "uuid", nullable: false),
                    number = table.Column<int>(type: "integer", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    content = table.Column<byte[]>(type: "bytea", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_film_pieces", x => new { x.film_id, x.number });
                    table.ForeignKey(
                        name: "fk_film_pieces_films_film_id",
                        column: x => x.film_id,
                        principalTable: "films",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "film_views",
                columns: table => new
                {
                    id = table.Column<long>(type: "bigint", nullable: false)
                        .Annotation("Npgsql:ValueGenerationStrategy", NpgsqlValueGenerationStrategy.IdentityByDefaultColumn),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    film_id = table.Column<Guid>(type: "uuid", nullable: false),
                    person_id = table.Column<Guid>(type: "uuid", nullable: true),
                    touch_id = table.Column<Guid>(type: "uuid", nullable: true),
                    key = table.Column<string>(type: "text", nullable: false),
                    at = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    seen = table.Column<List<int>>(type: "integer[]", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_film_views", x => x.id);
                    table.ForeignKey(
                        name: "fk_film_views_films_film_id",
                        column: x => x.film_id,
                        principalTable: "films",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                    table.ForeignKey(
                        name: "fk_film_views_people_person_id",
                        column: x => x.person_id,
                        principalTable: "people",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "ideas",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    feed_id = table.Column<Guid>(type: "uuid", nullable: false),
                    key = table.Column<string>(type: "text", nullable: false),
                    title = table.Column<string>(type: "text", nullable: false),
                    words = table.Column<string>(type: "text", nullable: false),
                    address = table.Column<string>(type: "text", nullable: false),
                    at = table.Column<Instant>(type: "timestamp with time zone", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_ideas", x => x.id);
                    table.ForeignKey(
                        name: "fk_ideas_idea_feeds_feed_id",
                        column: x => x.feed_id,
                        principalTable: "idea_feeds",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "busy_times",
                columns: table => new
                {
                    id = table.Column<long>(type: "bigint", nullable: false)
                        .Annotation("Npgsql:ValueGenerationStrategy", NpgsqlValueGenerationStrategy.IdentityByDefaultColumn),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    calendar_id = table.Column<Guid>(type: "uuid", nullable: false),
                    member_id = table.Column<Guid>(type: "uuid", nullable: false),
                    from = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    until = table.Column<Instant>(type: "timestamp with time zone", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_busy_times", x => x.id);
                    table.ForeignKey(
                        name: "fk_busy_times_own_calendars_calendar_id",
                        column: x => x.calendar_id,
                        principalTable: "own_calendars",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateIndex(
                name: "ix_busy_times_calendar_id",
                table: "busy_times",
                column: "calendar_id");

            migrationBuilder.CreateIndex(
                name: "ix_busy_times_practice_id_member_id_until",
                table: "busy_times",
                columns: new[] { "practice_id", "member_id", "until" });

            migrationBuilder.CreateIndex(
                name: "ix_film_views_film_id_key",
                table: "film_views",
                columns: new[] { "film_id", "key" },
                unique: true);

            migrationBuilder.CreateIndex(
                name: "ix_film_views_person_id",
                table: "film_views",
                column: "person_id");

            migrationBuilder.CreateIndex(
                name: "ix_films_practice_id_name",
                table: "films",
                columns: new[] { "practice_id", "name" },
                unique: true);

            migrationBuilder.CreateIndex(
                name: "ix_films_slug",
                table: "films",
                column: "slug",
                unique: true);

            migrationBuilder.CreateIndex(
                name: "ix_idea_feeds_next_read",
                table: "idea_feeds",
                column: "next_read");

            migrationBuilder.CreateIndex(
                name: "ix_idea_feeds_practice_id_address",
                table: "idea_feeds",
                columns: new[] { "practice_id", "address" },
                unique: true);

            migrationBuilder.CreateIndex(
                name: "ix_ideas_feed_id_key",
                table: "ideas",
                columns: new[] { "feed_id", "key" },
                unique: true);

            migrationBuilder.CreateIndex(
                name: "ix_ideas_practice_id_at",
                table: "ideas",
                columns: new[] { "practice_id", "at" });

            migrationBuilder.CreateIndex(
                name: "ix_own_calendars_next_read",
                table: "own_calendars",
                column: "next_read",
                filter: "next_read IS NOT NULL");

            migrationBuilder.CreateIndex(
                name: "ix_own_calendars_practice_id_member_id",
                table: "own_calendars",
                columns: new[] { "practice_id", "member_id" });

            migrationBuilder.CreateIndex(
                name: "ix_posts_next_try",
                table: "posts",
                column: "next_try",
                filter: "by_itself AND status IN ('waiting', 'handing')");

            migrationBuilder.CreateIndex(
                name: "ix_posts_person_id",
                table: "posts",
                column: "person_id");

            migrationBuilder.CreateIndex(
                name: "ix_posts_practice_id_created_at",
                table: "posts",
                columns: new[] { "practice_id", "created_at" });

            migrationBuilder.CreateIndex(
                name: "ix_posts_task_id",
                table: "posts",
                column: "task_id",
                unique: true,
                filter: "task_id IS NOT NULL");

            migrationBuilder.CreateIndex(
                name: "ix_posts_touch_id",
                table: "posts",
                column: "touch_id",
                unique: true,
                filter: "touch_id IS NOT NULL");

            DatabaseFunctions.Tell(migrationBuilder, Told);
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropTable(
                name: "busy_times");

            migrationBuilder.DropTable(
                name: "film_pieces");

            migrationBuilder.DropTable(
                name: "film_views");

            migrationBuilder.DropTable(
                name: "ideas");

            migrationBuilder.DropTable(
                name: "posts");

            migrationBuilder.DropTable(
                name: "own_calendars");

            migrationBuilder.DropTable(
                name: "films");

            migrationBuilder.DropTable(
                name: "idea_feeds");
        }
    }
}
