using System;
using System.Collections.Generic;
using Microsoft.EntityFrameworkCore.Migrations;
using NodaTime;
using Npgsql.EntityFrameworkCore.PostgreSQL.Metadata;

#nullable disable

namespace Germinal.Store.Migrations
{
    /// <inheritdoc />
    public partial class First : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AlterDatabase()
                .Annotation("Npgsql:PostgresExtension:pg_trgm", ",,");

            migrationBuilder.CreateTable(
                name: "absences",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    member_id = table.Column<Guid>(type: "uuid", nullable: false),
                    from = table.Column<LocalDate>(type: "date", nullable: false),
                    until = table.Column<LocalDate>(type: "date", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_absences", x => x.id);
                });

            migrationBuilder.CreateTable(
                name: "acts",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    at = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    by = table.Column<string>(type: "text", nullable: false),
                    kind = table.Column<string>(type: "text", nullable: false),
                    what = table.Column<string>(type: "text", nullable: false),
                    undone_at = table.Column<Instant>(type: "timestamp with time zone", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_acts", x => x.id);
                });

            migrationBuilder.CreateTable(
                name: "AspNetRoles",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    name = table.Column<string>(type: "character varying(256)", maxLength: 256, nullable: true),
                    normalized_name = table.Column<string>(type: "character varying(256)", maxLength: 256, nullable: true),
                    concurrency_stamp = table.Column<string>(type: "text", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_asp_net_roles", x => x.id);
                });

            migrationBuilder.CreateTable(
                name: "AspNetUsers",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    name = table.Column<string>(type: "text", nullable: false),
                    role = table.Column<string>(type: "text", nullable: false),
                    capacity = table.Column<string>(type: "jsonb", nullable: false, defaultValueSql: "'{}'::jsonb"),
                    deputy_id = table.Column<Guid>(type: "uuid", nullable: true),
                    blocked_at = table.Column<Instant>(type: "timestamp with time zone", nullable: true),
                    feed_key = table.Column<string>(type: "text", nullable: true),
                    sign_off = table.Column<string>(type: "text", nullable: false, defaultValue: ""),
                    morning_at = table.Column<string>(type: "text", nullable: false, defaultValue: ""),
                    morning_due = table.Column<Instant>(type: "timestamp with time zone", nullable: true),
                    photograph_id = table.Column<Guid>(type: "uuid", nullable: true),
                    user_name = table.Column<string>(type: "character varying(256)", maxLength: 256, nullable: true),
                    normalized_user_name = table.Column<string>(type: "character varying(256)", maxLength: 256, nullable: true),
                    email = table.Column<string>(type: "character varying(256)", maxLength: 256, nullable: true),
                    normalized_email = table.Column<string>(type: "character varying(256)", maxLength: 256, nullable: true),
                    email_confirmed = table.Column<bool>(type: "boolean", nullable: false),
                    password_hash = table.Column<string>(type: "text", nullable: true),
                    security_stamp = table.Column<string>(type: "text", nullable: true),
                    concurrency_stamp = table.Column<string>(type: "text", nullable: true),
                    phone_number = table.Column<string>(type: "text", nullable: true),
                    phone_number_confirmed = table.Column<bool>(type: "boolean", nullable: false),
                    two_factor_enabled = table.Column<bool>(type: "boolean", nullable: false),
                    lockout_end = table.Column<DateTimeOffset>(type: "timestamp with time zone", nullable: true),
                    lockout_enabled = table.Column<bool>(type: "boolean", nullable: false),
                    access_failed_count = table.Column<int>(type: "integer", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_asp_net_users", x => x.id);
                });

            migrationBuilder.CreateTable(
                name: "clock",
                columns: table => new
                {
                    id = table.Column<int>(type: "integer", nullable: false)
                        .Annotation("Npgsql:ValueGenerationStrategy", NpgsqlValueGenerationStrategy.IdentityByDefaultColumn),
                    real = table.Column<bool>(type: "boolean", nullable: false),
                    now = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    move_from = table.Column<Instant>(type: "timestamp with time zone", nullable: true),
                    move_to = table.Column<Instant>(type: "timestamp with time zone", nullable: true),
                    stop_asked = table.Column<bool>(type: "boolean", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_clock", x => x.id);
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
                name: "figure_tables",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    name = table.Column<string>(type: "text", nullable: false),
                    former_names = table.Column<List<string>>(type: "text[]", nullable: false),
                    key = table.Column<string>(type: "text", nullable: false),
                    measures = table.Column<string>(type: "jsonb", nullable: false),
                    edition = table.Column<int>(type: "integer", nullable: false),
                    by = table.Column<string>(type: "text", nullable: false),
                    changed_at = table.Column<Instant>(type: "timestamp with time zone", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_figure_tables", x => x.id);
                });

            migrationBuilder.CreateTable(
                name: "forms",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    name = table.Column<string>(type: "text", nullable: false),
                    slug = table.Column<string>(type: "text", nullable: false),
                    draft = table.Column<string>(type: "text", nullable: false),
                    shown = table.Column<string>(type: "text", nullable: true),
                    shown_version = table.Column<int>(type: "integer", nullable: false),
                    taken = table.Column<int>(type: "integer", nullable: false),
                    edition = table.Column<int>(type: "integer", nullable: false),
                    by = table.Column<string>(type: "text", nullable: false),
                    changed_at = table.Column<Instant>(type: "timestamp with time zone", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_forms", x => x.id);
                });

            migrationBuilder.CreateTable(
                name: "households",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    salutation = table.Column<string>(type: "text", nullable: true),
                    created_at = table.Column<Instant>(type: "timestamp with time zone", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_households", x => x.id);
                });

            migrationBuilder.CreateTable(
                name: "images",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    content_type = table.Column<string>(type: "text", nullable: false),
                    content = table.Column<byte[]>(type: "bytea", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_images", x => x.id);
                });

            migrationBuilder.CreateTable(
                name: "imports",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    file_name = table.Column<string>(type: "text", nullable: false),
                    content = table.Column<byte[]>(type: "bytea", nullable: false),
                    columns = table.Column<List<string>>(type: "text[]", nullable: false),
                    sheet = table.Column<string>(type: "text", nullable: true),
                    header_print = table.Column<string>(type: "text", nullable: false, defaultValue: ""),
                    meanings = table.Column<string>(type: "jsonb", nullable: false, defaultValueSql: "'{}'::jsonb"),
                    status = table.Column<string>(type: "text", nullable: false),
                    stop_asked = table.Column<bool>(type: "boolean", nullable: false),
                    created_at = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    by = table.Column<string>(type: "text", nullable: false),
                    rows_in_all = table.Column<int>(type: "integer", nullable: false),
                    rows_done = table.Column<int>(type: "integer", nullable: false),
                    added = table.Column<int>(type: "integer", nullable: false),
                    filled = table.Column<int>(type: "integer", nullable: false),
                    unchanged = table.Column<int>(type: "integer", nullable: false),
                    left_out = table.Column<int>(type: "integer", nullable: false),
                    error = table.Column<string>(type: "text", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_imports", x => x.id);
                });

            migrationBuilder.CreateTable(
                name: "kept_files",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    name = table.Column<string>(type: "text", nullable: false),
                    former_names = table.Column<List<string>>(type: "text[]", nullable: false),
                    content_type = table.Column<string>(type: "text", nullable: false),
                    bytes = table.Column<int>(type: "integer", nullable: false),
                    content = table.Column<byte[]>(type: "bytea", nullable: false),
                    by = table.Column<string>(type: "text", nullable: false),
                    at = table.Column<Instant>(type: "timestamp with time zone", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_kept_files", x => x.id);
                });

            migrationBuilder.CreateTable(
                name: "letters",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    name = table.Column<string>(type: "text", nullable: false),
                    former_names = table.Column<List<string>>(type: "text[]", nullable: false),
                    subject = table.Column<string>(type: "text", nullable: false),
                    body = table.Column<string>(type: "text", nullable: false),
                    edition = table.Column<int>(type: "integer", nullable: false),
                    by = table.Column<string>(type: "text", nullable: false),
                    changed_at = table.Column<Instant>(type: "timestamp with time zone", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_letters", x => x.id);
                });

            migrationBuilder.CreateTable(
                name: "lists",
                columns: table => new
                {
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    name = table.Column<string>(type: "text", nullable: false),
                    created_at = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    by = table.Column<string>(type: "text", nullable: false),
                    from = table.Column<string>(type: "text", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_lists", x => new { x.practice_id, x.name });
                });

            migrationBuilder.CreateTable(
                name: "meeting_pages",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    member_id = table.Column<Guid>(type: "uuid", nullable: false),
                    slug = table.Column<string>(type: "text", nullable: false),
                    title = table.Column<string>(type: "text", nullable: false),
                    words = table.Column<string>(type: "text", nullable: false),
                    type = table.Column<string>(type: "text", nullable: false),
                    place = table.Column<string>(type: "text", nullable: true),
                    minutes = table.Column<int>(type: "integer", nullable: false),
                    gap_minutes = table.Column<int>(type: "integer", nullable: false),
                    notice_hours = table.Column<int>(type: "integer", nullable: false),
                    most_a_day = table.Column<int>(type: "integer", nullable: true),
                    ahead_days = table.Column<int>(type: "integer", nullable: false),
                    hours = table.Column<string>(type: "jsonb", nullable: false),
                    shown = table.Column<bool>(type: "boolean", nullable: false),
                    edition = table.Column<int>(type: "integer", nullable: false),
                    by = table.Column<string>(type: "text", nullable: false),
                    changed_at = table.Column<Instant>(type: "timestamp with time zone", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_meeting_pages", x => x.id);
                });

            migrationBuilder.CreateTable(
                name: "offers",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    name = table.Column<string>(type: "text", nullable: false),
                    former_names = table.Column<List<string>>(type: "text[]", nullable: false),
                    facts = table.Column<string>(type: "text", nullable: false),
                    price = table.Column<string>(type: "text", nullable: false),
                    page = table.Column<string>(type: "text", nullable: true),
                    picture_id = table.Column<Guid>(type: "uuid", nullable: true),
                    picture_words = table.Column<string>(type: "text", nullable: false),
                    from = table.Column<LocalDate>(type: "date", nullable: true),
                    until = table.Column<LocalDate>(type: "date", nullable: true),
                    when_over = table.Column<string>(type: "text", nullable: false),
                    instead_id = table.Column<Guid>(type: "uuid", nullable: true),
                    edition = table.Column<int>(type: "integer", nullable: false),
                    by = table.Column<string>(type: "text", nullable: false),
                    changed_at = table.Column<Instant>(type: "timestamp with time zone", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_offers", x => x.id);
                    table.ForeignKey(
                        name: "fk_offers_offers_instead_id",
                        column: x => x.instead_id,
                        principalTable: "offers",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Restrict);
                });

            migrationBuilder.CreateTable(
                name: "practices",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    name = table.Column<string>(type: "text", nullable: false),
                    zone_id = table.Column<string>(type: "text", nullable: false),
                    settings = table.Column<string>(type: "jsonb", nullable: false),
                    edition = table.Column<int>(type: "integer", nullable: false),
                    look_again_after = table.Column<Guid>(type: "uuid", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_practices", x => x.id);
                });

            migrationBuilder.CreateTable(
                name: "program_versions",
                columns: table => new
                {
                    program_id = table.Column<Guid>(type: "uuid", nullable: false),
                    version = table.Column<int>(type: "integer", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    definition = table.Column<string>(type: "text", nullable: false),
                    published_at = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    by = table.Column<string>(type: "text", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_program_versions", x => new { x.program_id, x.version });
                });

            migrationBuilder.CreateTable(
                name: "programs",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    name = table.Column<string>(type: "text", nullable: false),
                    draft = table.Column<string>(type: "text", nullable: false),
                    draft_number = table.Column<int>(type: "integer", nullable: false),
                    draft_by = table.Column<string>(type: "text", nullable: true),
                    status = table.Column<string>(type: "text", nullable: false),
                    on_since = table.Column<Instant>(type: "timestamp with time zone", nullable: true),
                    paused_until = table.Column<Instant>(type: "timestamp with time zone", nullable: true),
                    current_version = table.Column<int>(type: "integer", nullable: false),
                    created_at = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    owner_id = table.Column<Guid>(type: "uuid", nullable: true),
                    hidden = table.Column<bool>(type: "boolean", nullable: false),
                    archived_at = table.Column<Instant>(type: "timestamp with time zone", nullable: true),
                    approval_asked_at = table.Column<Instant>(type: "timestamp with time zone", nullable: true),
                    approval_asked_by = table.Column<string>(type: "text", nullable: true),
                    approved_draft = table.Column<int>(type: "integer", nullable: false),
                    approved_by = table.Column<string>(type: "text", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_programs", x => x.id);
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
                name: "ready_programs",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    practice = table.Column<string>(type: "text", nullable: false),
                    name = table.Column<string>(type: "text", nullable: false),
                    note = table.Column<string>(type: "text", nullable: false),
                    definition = table.Column<string>(type: "text", nullable: false),
                    at = table.Column<Instant>(type: "timestamp with time zone", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_ready_programs", x => x.id);
                });

            migrationBuilder.CreateTable(
                name: "segments",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    name = table.Column<string>(type: "text", nullable: false),
                    rule = table.Column<string>(type: "jsonb", nullable: false),
                    member_id = table.Column<Guid>(type: "uuid", nullable: true),
                    created_at = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    by = table.Column<string>(type: "text", nullable: false),
                    edition = table.Column<int>(type: "integer", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_segments", x => x.id);
                });

            migrationBuilder.CreateTable(
                name: "suppressions",
                columns: table => new
                {
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    address = table.Column<string>(type: "text", nullable: false),
                    reason = table.Column<string>(type: "text", nullable: false),
                    at = table.Column<Instant>(type: "timestamp with time zone", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_suppressions", x => new { x.practice_id, x.address });
                });

            migrationBuilder.CreateTable(
                name: "tags",
                columns: table => new
                {
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    name = table.Column<string>(type: "text", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_tags", x => new { x.practice_id, x.name });
                });

            migrationBuilder.CreateTable(
                name: "workers",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    seen_at = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    busy_since = table.Column<Instant>(type: "timestamp with time zone", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_workers", x => x.id);
                });

            migrationBuilder.CreateTable(
                name: "AspNetRoleClaims",
                columns: table => new
                {
                    id = table.Column<int>(type: "integer", nullable: false)
                        .Annotation("Npgsql:ValueGenerationStrategy", NpgsqlValueGenerationStrategy.IdentityByDefaultColumn),
                    role_id = table.Column<Guid>(type: "uuid", nullable: false),
                    claim_type = table.Column<string>(type: "text", nullable: true),
                    claim_value = table.Column<string>(type: "text", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_asp_net_role_claims", x => x.id);
                    table.ForeignKey(
                        name: "fk_asp_net_role_claims_asp_net_roles_role_id",
                        column: x => x.role_id,
                        principalTable: "AspNetRoles",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "AspNetUserClaims",
                columns: table => new
                {
                    id = table.Column<int>(type: "integer", nullable: false)
                        .Annotation("Npgsql:ValueGenerationStrategy", NpgsqlValueGenerationStrategy.IdentityByDefaultColumn),
                    user_id = table.Column<Guid>(type: "uuid", nullable: false),
                    claim_type = table.Column<string>(type: "text", nullable: true),
                    claim_value = table.Column<string>(type: "text", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_asp_net_user_claims", x => x.id);
                    table.ForeignKey(
                        name: "fk_asp_net_user_claims_asp_net_users_user_id",
                        column: x => x.user_id,
                        principalTable: "AspNetUsers",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "AspNetUserLogins",
                columns: table => new
                {
                    login_provider = table.Column<string>(type: "text", nullable: false),
                    provider_key = table.Column<string>(type: "text", nullable: false),
                    provider_display_name = table.Column<string>(type: "text", nullable: true),
                    user_id = table.Column<Guid>(type: "uuid", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_asp_net_user_logins", x => new { x.login_provider, x.provider_key });
                    table.ForeignKey(
                        name: "fk_asp_net_user_logins_asp_net_users_user_id",
                        column: x => x.user_id,
                        principalTable: "AspNetUsers",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "AspNetUserRoles",
                columns: table => new
                {
                    user_id = table.Column<Guid>(type: "uuid", nullable: false),
                    role_id = table.Column<Guid>(type: "uuid", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_asp_net_user_roles", x => new { x.user_id, x.role_id });
                    table.ForeignKey(
                        name: "fk_asp_net_user_roles_asp_net_roles_role_id",
                        column: x => x.role_id,
                        principalTable: "AspNetRoles",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                    table.ForeignKey(
                        name: "fk_asp_net_user_roles_asp_net_users_user_id",
                        column: x => x.user_id,
                        principalTable: "AspNetUsers",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "AspNetUserTokens",
                columns: table => new
                {
                    user_id = table.Column<Guid>(type: "uuid", nullable: false),
                    login_provider = table.Column<string>(type: "text", nullable: false),
                    name = table.Column<string>(type: "text", nullable: false),
                    value = table.Column<string>(type: "text", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_asp_net_user_tokens", x => new { x.user_id, x.login_provider, x.name });
                    table.ForeignKey(
                        name: "fk_asp_net_user_tokens_asp_net_users_user_id",
                        column: x => x.user_id,
                        principalTable: "AspNetUsers",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "sessions",
                columns: table => new
                {
                    id = table.Column<string>(type: "text", nullable: false),
                    member_id = table.Column<Guid>(type: "uuid", nullable: false),
                    ticket = table.Column<byte[]>(type: "bytea", nullable: false),
                    stamp = table.Column<string>(type: "text", nullable: false),
                    role = table.Column<string>(type: "text", nullable: false),
                    created_at = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    expires_at = table.Column<Instant>(type: "timestamp with time zone", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_sessions", x => x.id);
                    table.ForeignKey(
                        name: "fk_sessions_asp_net_users_member_id",
                        column: x => x.member_id,
                        principalTable: "AspNetUsers",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "figures",
                columns: table => new
                {
                    table_id = table.Column<Guid>(type: "uuid", nullable: false),
                    area = table.Column<string>(type: "text", nullable: false),
                    measure = table.Column<string>(type: "text", nullable: false),
                    month = table.Column<LocalDate>(type: "date", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    value = table.Column<decimal>(type: "numeric", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_figures", x => new { x.table_id, x.area, x.measure, x.month });
                    table.ForeignKey(
                        name: "fk_figures_figure_tables_table_id",
                        column: x => x.table_id,
                        principalTable: "figure_tables",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "household_claims",
                columns: table => new
                {
                    household_id = table.Column<Guid>(type: "uuid", nullable: false),
                    program_id = table.Column<Guid>(type: "uuid", nullable: false),
                    step_id = table.Column<string>(type: "text", nullable: false),
                    date = table.Column<LocalDate>(type: "date", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    touch_id = table.Column<Guid>(type: "uuid", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_household_claims", x => new { x.household_id, x.program_id, x.step_id, x.date });
                    table.ForeignKey(
                        name: "fk_household_claims_households_household_id",
                        column: x => x.household_id,
                        principalTable: "households",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "people",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    first_name = table.Column<string>(type: "text", nullable: true),
                    last_name = table.Column<string>(type: "text", nullable: true),
                    sort_name = table.Column<string>(type: "text", nullable: false),
                    search_text = table.Column<string>(type: "text", nullable: false),
                    first_sort = table.Column<string>(type: "text", nullable: false, defaultValue: ""),
                    email = table.Column<string>(type: "text", nullable: true),
                    other_email = table.Column<string>(type: "text", nullable: true),
                    mobile = table.Column<string>(type: "text", nullable: true),
                    mobile_extension = table.Column<string>(type: "text", nullable: true),
                    other_phone = table.Column<string>(type: "text", nullable: true),
                    other_phone_extension = table.Column<string>(type: "text", nullable: true),
                    address = table.Column<string>(type: "text", nullable: true),
                    city = table.Column<string>(type: "text", nullable: true),
                    state = table.Column<string>(type: "text", nullable: true),
                    postal_code = table.Column<string>(type: "text", nullable: true),
                    country = table.Column<string>(type: "text", nullable: true),
                    household_id = table.Column<Guid>(type: "uuid", nullable: true),
                    zone_id = table.Column<string>(type: "text", nullable: true),
                    owner_id = table.Column<Guid>(type: "uuid", nullable: true),
                    stage = table.Column<string>(type: "text", nullable: true),
                    stage_since = table.Column<Instant>(type: "timestamp with time zone", nullable: true),
                    stage_sort = table.Column<string>(type: "text", nullable: false, computedColumnSql: "coalesce(stage, '~')", stored: true),
                    owner_sort = table.Column<Guid>(type: "uuid", nullable: false, computedColumnSql: "coalesce(owner_id, 'ffffffff-ffff-ffff-ffff-ffffffffffff'::uuid)", stored: true),
                    source = table.Column<string>(type: "text", nullable: true),
                    tags = table.Column<List<string>>(type: "text[]", nullable: false),
                    lists = table.Column<List<string>>(type: "text[]", nullable: false, defaultValueSql: "ARRAY[]::text[]"),
                    custom = table.Column<string>(type: "jsonb", nullable: false, defaultValueSql: "'{}'::jsonb"),
                    lost_reason = table.Column<string>(type: "text", nullable: true),
                    added_at = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    do_not_contact = table.Column<bool>(type: "boolean", nullable: false),
                    do_not_contact_reason = table.Column<string>(type: "text", nullable: true),
                    do_not_contact_until = table.Column<LocalDate>(type: "date", nullable: true),
                    do_not_contact_to_confirm = table.Column<bool>(type: "boolean", nullable: false),
                    died = table.Column<bool>(type: "boolean", nullable: false),
                    archived = table.Column<bool>(type: "boolean", nullable: false),
                    import_id = table.Column<Guid>(type: "uuid", nullable: true),
                    edition = table.Column<int>(type: "integer", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_people", x => x.id);
                    table.ForeignKey(
                        name: "fk_people_households_household_id",
                        column: x => x.household_id,
                        principalTable: "households",
                        principalColumn: "id",
                        onDelete: ReferentialAction.SetNull);
                });

            migrationBuilder.CreateTable(
                name: "import_lines",
                columns: table => new
                {
                    import_id = table.Column<Guid>(type: "uuid", nullable: false),
                    line = table.Column<int>(type: "integer", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    result = table.Column<string>(type: "text", nullable: false),
                    person_id = table.Column<Guid>(type: "uuid", nullable: true),
                    fingerprint = table.Column<string>(type: "text", nullable: false),
                    doubts = table.Column<List<string>>(type: "text[]", nullable: false),
                    filled_fields = table.Column<List<string>>(type: "text[]", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_import_lines", x => new { x.import_id, x.line });
                    table.ForeignKey(
                        name: "fk_import_lines_imports_import_id",
                        column: x => x.import_id,
                        principalTable: "imports",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "landings",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    letter_id = table.Column<Guid>(type: "uuid", nullable: false),
                    slug = table.Column<string>(type: "text", nullable: false),
                    title = table.Column<string>(type: "text", nullable: false),
                    description = table.Column<string>(type: "text", nullable: false),
                    picture_id = table.Column<Guid>(type: "uuid", nullable: true),
                    shown_version = table.Column<int>(type: "integer", nullable: true),
                    edition = table.Column<int>(type: "integer", nullable: false),
                    by = table.Column<string>(type: "text", nullable: false),
                    changed_at = table.Column<Instant>(type: "timestamp with time zone", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_landings", x => x.id);
                    table.ForeignKey(
                        name: "fk_landings_letters_letter_id",
                        column: x => x.letter_id,
                        principalTable: "letters",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Restrict);
                });

            migrationBuilder.CreateTable(
                name: "kept_walks",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    program_id = table.Column<Guid>(type: "uuid", nullable: false),
                    name = table.Column<string>(type: "text", nullable: false),
                    person_id = table.Column<Guid>(type: "uuid", nullable: false),
                    from = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    moves = table.Column<string>(type: "jsonb", nullable: false),
                    expected = table.Column<string>(type: "jsonb", nullable: false),
                    by = table.Column<string>(type: "text", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_kept_walks", x => x.id);
                    table.ForeignKey(
                        name: "fk_kept_walks_programs_program_id",
                        column: x => x.program_id,
                        principalTable: "programs",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

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
                    cancelled_at = table.Column<Instant>(type: "timestamp with time zone", nullable: true),
                    missed_at = table.Column<Instant>(type: "timestamp with time zone", nullable: true),
                    minutes = table.Column<int>(type: "integer", nullable: false, defaultValue: 60),
                    page_id = table.Column<Guid>(type: "uuid", nullable: true),
                    key = table.Column<string>(type: "text", nullable: true),
                    sequence = table.Column<int>(type: "integer", nullable: false),
                    reader_zone = table.Column<string>(type: "text", nullable: true),
                    words = table.Column<string>(type: "text", nullable: false, defaultValue: ""),
                    touch_id = table.Column<Guid>(type: "uuid", nullable: true)
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
                name: "consent",
                columns: table => new
                {
                    id = table.Column<long>(type: "bigint", nullable: false)
                        .Annotation("Npgsql:ValueGenerationStrategy", NpgsqlValueGenerationStrategy.IdentityByDefaultColumn),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    person_id = table.Column<Guid>(type: "uuid", nullable: false),
                    channel = table.Column<string>(type: "text", nullable: false),
                    purpose = table.Column<string>(type: "text", nullable: true),
                    topic = table.Column<string>(type: "text", nullable: true),
                    taken_back_at = table.Column<Instant>(type: "timestamp with time zone", nullable: true),
                    taken_back_by = table.Column<string>(type: "text", nullable: true),
                    is_in = table.Column<bool>(type: "boolean", nullable: false),
                    basis = table.Column<string>(type: "text", nullable: false),
                    at = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    source = table.Column<string>(type: "text", nullable: false),
                    reason = table.Column<string>(type: "text", nullable: true),
                    by = table.Column<string>(type: "text", nullable: true),
                    evidence = table.Column<string>(type: "text", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_consent", x => x.id);
                    table.ForeignKey(
                        name: "fk_consent_people_person_id",
                        column: x => x.person_id,
                        principalTable: "people",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "different",
                columns: table => new
                {
                    first_id = table.Column<Guid>(type: "uuid", nullable: false),
                    second_id = table.Column<Guid>(type: "uuid", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    at = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    by = table.Column<string>(type: "text", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_different", x => new { x.first_id, x.second_id });
                    table.ForeignKey(
                        name: "fk_different_people_first_id",
                        column: x => x.first_id,
                        principalTable: "people",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                    table.ForeignKey(
                        name: "fk_different_people_second_id",
                        column: x => x.second_id,
                        principalTable: "people",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "events",
                columns: table => new
                {
                    id = table.Column<long>(type: "bigint", nullable: false)
                        .Annotation("Npgsql:ValueGenerationStrategy", NpgsqlValueGenerationStrategy.IdentityByDefaultColumn),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    person_id = table.Column<Guid>(type: "uuid", nullable: false),
                    at = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    kind = table.Column<string>(type: "text", nullable: false),
                    data = table.Column<string>(type: "jsonb", nullable: false),
                    key = table.Column<string>(type: "text", nullable: true),
                    act_id = table.Column<Guid>(type: "uuid", nullable: true),
                    before = table.Column<string>(type: "text", nullable: true),
                    after = table.Column<string>(type: "text", nullable: true),
                    by = table.Column<string>(type: "text", nullable: true),
                    handled_at = table.Column<Instant>(type: "timestamp with time zone", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_events", x => x.id);
                    table.ForeignKey(
                        name: "fk_events_people_person_id",
                        column: x => x.person_id,
                        principalTable: "people",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
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
                    answered_by = table.Column<string>(type: "text", nullable: true),
                    outcome = table.Column<string>(type: "text", nullable: true),
                    topic = table.Column<string>(type: "text", nullable: true),
                    owner_id = table.Column<Guid>(type: "uuid", nullable: true),
                    given_why = table.Column<string>(type: "text", nullable: false, defaultValue: ""),
                    touched_at = table.Column<Instant>(type: "timestamp with time zone", nullable: true),
                    deputy_at = table.Column<Instant>(type: "timestamp with time zone", nullable: true),
                    submission_id = table.Column<Guid>(type: "uuid", nullable: true),
                    received_id = table.Column<long>(type: "bigint", nullable: true),
                    touch_id = table.Column<Guid>(type: "uuid", nullable: true)
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
                name: "key_dates",
                columns: table => new
                {
                    person_id = table.Column<Guid>(type: "uuid", nullable: false),
                    name = table.Column<string>(type: "text", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    month = table.Column<int>(type: "integer", nullable: false),
                    day = table.Column<int>(type: "integer", nullable: false),
                    year = table.Column<int>(type: "integer", nullable: true),
                    yearly = table.Column<bool>(type: "boolean", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_key_dates", x => new { x.person_id, x.name });
                    table.ForeignKey(
                        name: "fk_key_dates_people_person_id",
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
                name: "messages",
                columns: table => new
                {
                    touch_id = table.Column<Guid>(type: "uuid", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    person_id = table.Column<Guid>(type: "uuid", nullable: false),
                    about_id = table.Column<Guid>(type: "uuid", nullable: true),
                    member_id = table.Column<Guid>(type: "uuid", nullable: true),
                    channel = table.Column<string>(type: "text", nullable: false, defaultValue: "email"),
                    message_id = table.Column<string>(type: "text", nullable: false),
                    to_address = table.Column<string>(type: "text", nullable: false),
                    from_name = table.Column<string>(type: "text", nullable: false),
                    from_address = table.Column<string>(type: "text", nullable: false),
                    subject = table.Column<string>(type: "text", nullable: false),
                    html = table.Column<string>(type: "text", nullable: false),
                    text = table.Column<string>(type: "text", nullable: false),
                    sent_at = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    answer = table.Column<string>(type: "text", nullable: false),
                    parts = table.Column<int>(type: "integer", nullable: false),
                    delivered_at = table.Column<Instant>(type: "timestamp with time zone", nullable: true),
                    bounced_at = table.Column<Instant>(type: "timestamp with time zone", nullable: true),
                    bounce = table.Column<string>(type: "text", nullable: true),
                    confirmed_at = table.Column<Instant>(type: "timestamp with time zone", nullable: true),
                    opened_at = table.Column<Instant>(type: "timestamp with time zone", nullable: true),
                    links = table.Column<string>(type: "jsonb", nullable: false, defaultValueSql: "'[]'::jsonb")
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_messages", x => x.touch_id);
                    table.ForeignKey(
                        name: "fk_messages_people_about_id",
                        column: x => x.about_id,
                        principalTable: "people",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                    table.ForeignKey(
                        name: "fk_messages_people_person_id",
                        column: x => x.person_id,
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
                    stage_before = table.Column<string>(type: "text", nullable: true),
                    moved_to = table.Column<string>(type: "text", nullable: true),
                    owner_id = table.Column<Guid>(type: "uuid", nullable: true),
                    status = table.Column<string>(type: "text", nullable: false),
                    lost_reason = table.Column<string>(type: "text", nullable: true),
                    opened_at = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    closed_at = table.Column<Instant>(type: "timestamp with time zone", nullable: true),
                    stage_since = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    worth = table.Column<decimal>(type: "numeric(14,2)", precision: 14, scale: 2, nullable: true),
                    expected_on = table.Column<LocalDate>(type: "date", nullable: true)
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
                name: "own_words",
                columns: table => new
                {
                    touch_id = table.Column<Guid>(type: "uuid", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    person_id = table.Column<Guid>(type: "uuid", nullable: false),
                    subject = table.Column<string>(type: "text", nullable: false, defaultValue: ""),
                    body = table.Column<string>(type: "text", nullable: false),
                    by = table.Column<string>(type: "text", nullable: false),
                    at = table.Column<Instant>(type: "timestamp with time zone", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_own_words", x => x.touch_id);
                    table.ForeignKey(
                        name: "fk_own_words_people_person_id",
                        column: x => x.person_id,
                        principalTable: "people",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "person_states",
                columns: table => new
                {
                    person_id = table.Column<Guid>(type: "uuid", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    state = table.Column<string>(type: "jsonb", nullable: false),
                    next_due = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    next_alarm = table.Column<Instant>(type: "timestamp with time zone", nullable: false, defaultValueSql: "'-infinity'"),
                    alarms_from = table.Column<Instant>(type: "timestamp with time zone", nullable: false, defaultValueSql: "'-infinity'"),
                    last_touch_at = table.Column<Instant>(type: "timestamp with time zone", nullable: false, defaultValueSql: "'-infinity'"),
                    last_reply_at = table.Column<Instant>(type: "timestamp with time zone", nullable: true),
                    next_touch_at = table.Column<Instant>(type: "timestamp with time zone", nullable: false, defaultValueSql: "'infinity'"),
                    set_aside = table.Column<string>(type: "text", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_person_states", x => x.person_id);
                    table.ForeignKey(
                        name: "fk_person_states_people_person_id",
                        column: x => x.person_id,
                        principalTable: "people",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
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
                    own_mail_id = table.Column<Guid>(type: "uuid", nullable: true),
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
                name: "refusals",
                columns: table => new
                {
                    id = table.Column<long>(type: "bigint", nullable: false)
                        .Annotation("Npgsql:ValueGenerationStrategy", NpgsqlValueGenerationStrategy.IdentityByDefaultColumn),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    person_id = table.Column<Guid>(type: "uuid", nullable: false),
                    program_id = table.Column<Guid>(type: "uuid", nullable: false),
                    at = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    reason = table.Column<string>(type: "text", nullable: false),
                    cause = table.Column<string>(type: "jsonb", nullable: false),
                    dismissed_at = table.Column<Instant>(type: "timestamp with time zone", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_refusals", x => x.id);
                    table.ForeignKey(
                        name: "fk_refusals_people_person_id",
                        column: x => x.person_id,
                        principalTable: "people",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "relations",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    person_id = table.Column<Guid>(type: "uuid", nullable: false),
                    other_id = table.Column<Guid>(type: "uuid", nullable: false),
                    role = table.Column<string>(type: "text", nullable: false),
                    back = table.Column<string>(type: "text", nullable: false),
                    at = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    by = table.Column<string>(type: "text", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_relations", x => x.id);
                    table.ForeignKey(
                        name: "fk_relations_people_other_id",
                        column: x => x.other_id,
                        principalTable: "people",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                    table.ForeignKey(
                        name: "fk_relations_people_person_id",
                        column: x => x.person_id,
                        principalTable: "people",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "runs",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    person_id = table.Column<Guid>(type: "uuid", nullable: false),
                    program_id = table.Column<Guid>(type: "uuid", nullable: false),
                    version = table.Column<int>(type: "integer", nullable: false),
                    number = table.Column<int>(type: "integer", nullable: false),
                    started_at = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    cause = table.Column<string>(type: "jsonb", nullable: false),
                    ended_at = table.Column<Instant>(type: "timestamp with time zone", nullable: true),
                    stop_reason = table.Column<string>(type: "text", nullable: true),
                    paused_at = table.Column<Instant>(type: "timestamp with time zone", nullable: true),
                    paused_until = table.Column<Instant>(type: "timestamp with time zone", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_runs", x => x.id);
                    table.ForeignKey(
                        name: "fk_runs_people_person_id",
                        column: x => x.person_id,
                        principalTable: "people",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "submissions",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    form_id = table.Column<Guid>(type: "uuid", nullable: false),
                    key = table.Column<string>(type: "text", nullable: false),
                    at = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    status = table.Column<string>(type: "text", nullable: false),
                    version = table.Column<int>(type: "integer", nullable: false),
                    answers = table.Column<string>(type: "jsonb", nullable: false),
                    doubt = table.Column<string>(type: "text", nullable: false),
                    email = table.Column<string>(type: "text", nullable: true),
                    print = table.Column<string>(type: "text", nullable: false),
                    person_id = table.Column<Guid>(type: "uuid", nullable: true),
                    touch_id = table.Column<Guid>(type: "uuid", nullable: true),
                    is_proven = table.Column<bool>(type: "boolean", nullable: false),
                    came_from = table.Column<string>(type: "text", nullable: true),
                    asked_at = table.Column<Instant>(type: "timestamp with time zone", nullable: true),
                    confirmed_at = table.Column<Instant>(type: "timestamp with time zone", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_submissions", x => x.id);
                    table.ForeignKey(
                        name: "fk_submissions_forms_form_id",
                        column: x => x.form_id,
                        principalTable: "forms",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                    table.ForeignKey(
                        name: "fk_submissions_people_person_id",
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
                    person_id = table.Column<Guid>(type: "uuid", nullable: true),
                    member_id = table.Column<Guid>(type: "uuid", nullable: true),
                    rule = table.Column<string>(type: "text", nullable: false, defaultValue: ""),
                    repeats_from = table.Column<LocalDate>(type: "date", nullable: true),
                    series_id = table.Column<Guid>(type: "uuid", nullable: true),
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
                name: "touches",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    person_id = table.Column<Guid>(type: "uuid", nullable: false),
                    run_id = table.Column<Guid>(type: "uuid", nullable: false),
                    program_id = table.Column<Guid>(type: "uuid", nullable: false),
                    version = table.Column<int>(type: "integer", nullable: false),
                    step_id = table.Column<string>(type: "text", nullable: false),
                    kind = table.Column<string>(type: "text", nullable: false),
                    status = table.Column<string>(type: "text", nullable: false),
                    priority = table.Column<int>(type: "integer", nullable: false, defaultValue: 50),
                    reason = table.Column<string>(type: "text", nullable: true),
                    held = table.Column<bool>(type: "boolean", nullable: false),
                    first_due = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    due = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    settled_at = table.Column<Instant>(type: "timestamp with time zone", nullable: true),
                    closed_at = table.Column<Instant>(type: "timestamp with time zone", nullable: true),
                    call_outcome = table.Column<string>(type: "text", nullable: true),
                    remark = table.Column<string>(type: "text", nullable: true),
                    plan = table.Column<string>(type: "jsonb", nullable: true),
                    checks = table.Column<string>(type: "jsonb", nullable: false),
                    attempt_id = table.Column<Guid>(type: "uuid", nullable: true),
                    leased_until = table.Column<Instant>(type: "timestamp with time zone", nullable: true),
                    attempts = table.Column<int>(type: "integer", nullable: false),
                    last_answer = table.Column<string>(type: "text", nullable: true),
                    reader_id = table.Column<Guid>(type: "uuid", nullable: true),
                    moved_to = table.Column<LocalDate>(type: "date", nullable: true),
                    printed_at = table.Column<Instant>(type: "timestamp with time zone", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_touches", x => x.id);
                    table.ForeignKey(
                        name: "fk_touches_people_person_id",
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
                    last_at = table.Column<Instant>(type: "timestamp with time zone", nullable: false, defaultValueSql: "'-infinity'"),
                    count = table.Column<int>(type: "integer", nullable: false, defaultValue: 1),
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

            migrationBuilder.CreateTable(
                name: "landing_versions",
                columns: table => new
                {
                    landing_id = table.Column<Guid>(type: "uuid", nullable: false),
                    version = table.Column<int>(type: "integer", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    title = table.Column<string>(type: "text", nullable: false),
                    description = table.Column<string>(type: "text", nullable: false),
                    picture_id = table.Column<Guid>(type: "uuid", nullable: true),
                    body = table.Column<string>(type: "text", nullable: false),
                    by = table.Column<string>(type: "text", nullable: false),
                    at = table.Column<Instant>(type: "timestamp with time zone", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_landing_versions", x => new { x.landing_id, x.version });
                    table.ForeignKey(
                        name: "fk_landing_versions_landings_landing_id",
                        column: x => x.landing_id,
                        principalTable: "landings",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "landing_visits",
                columns: table => new
                {
                    landing_id = table.Column<Guid>(type: "uuid", nullable: false),
                    date = table.Column<LocalDate>(type: "date", nullable: false),
                    program_id = table.Column<Guid>(type: "uuid", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    count = table.Column<int>(type: "integer", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_landing_visits", x => new { x.landing_id, x.date, x.program_id });
                    table.ForeignKey(
                        name: "fk_landing_visits_landings_landing_id",
                        column: x => x.landing_id,
                        principalTable: "landings",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "opportunity_moves",
                columns: table => new
                {
                    id = table.Column<long>(type: "bigint", nullable: false)
                        .Annotation("Npgsql:ValueGenerationStrategy", NpgsqlValueGenerationStrategy.IdentityByDefaultColumn),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    opportunity_id = table.Column<Guid>(type: "uuid", nullable: false),
                    at = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    stage = table.Column<string>(type: "text", nullable: false),
                    status = table.Column<string>(type: "text", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_opportunity_moves", x => x.id);
                    table.ForeignKey(
                        name: "fk_opportunity_moves_opportunities_opportunity_id",
                        column: x => x.opportunity_id,
                        principalTable: "opportunities",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "received_files",
                columns: table => new
                {
                    received_id = table.Column<long>(type: "bigint", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    content_type = table.Column<string>(type: "text", nullable: false),
                    content = table.Column<byte[]>(type: "bytea", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_received_files", x => x.received_id);
                    table.ForeignKey(
                        name: "fk_received_files_received_received_id",
                        column: x => x.received_id,
                        principalTable: "received",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "own_mails",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    kind = table.Column<string>(type: "text", nullable: false),
                    person_id = table.Column<Guid>(type: "uuid", nullable: true),
                    inquiry_id = table.Column<Guid>(type: "uuid", nullable: true),
                    submission_id = table.Column<Guid>(type: "uuid", nullable: true),
                    member_id = table.Column<Guid>(type: "uuid", nullable: true),
                    to_name = table.Column<string>(type: "text", nullable: false),
                    to_address = table.Column<string>(type: "text", nullable: false),
                    subject = table.Column<string>(type: "text", nullable: false),
                    html = table.Column<string>(type: "text", nullable: false),
                    text = table.Column<string>(type: "text", nullable: false),
                    calendar = table.Column<string>(type: "text", nullable: false, defaultValue: ""),
                    in_reply_to = table.Column<string>(type: "text", nullable: true),
                    references = table.Column<List<string>>(type: "text[]", nullable: false),
                    status = table.Column<string>(type: "text", nullable: false),
                    created_at = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    next_try = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    attempts = table.Column<int>(type: "integer", nullable: false),
                    sent_at = table.Column<Instant>(type: "timestamp with time zone", nullable: true),
                    last_answer = table.Column<string>(type: "text", nullable: false),
                    read_at = table.Column<Instant>(type: "timestamp with time zone", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_own_mails", x => x.id);
                    table.ForeignKey(
                        name: "fk_own_mails_people_person_id",
                        column: x => x.person_id,
                        principalTable: "people",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                    table.ForeignKey(
                        name: "fk_own_mails_submissions_submission_id",
                        column: x => x.submission_id,
                        principalTable: "submissions",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "submitted_files",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    submission_id = table.Column<Guid>(type: "uuid", nullable: false),
                    question = table.Column<string>(type: "text", nullable: false),
                    name = table.Column<string>(type: "text", nullable: false),
                    content_type = table.Column<string>(type: "text", nullable: false),
                    bytes = table.Column<int>(type: "integer", nullable: false),
                    content = table.Column<byte[]>(type: "bytea", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_submitted_files", x => x.id);
                    table.ForeignKey(
                        name: "fk_submitted_files_submissions_submission_id",
                        column: x => x.submission_id,
                        principalTable: "submissions",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "short_links",
                columns: table => new
                {
                    code = table.Column<string>(type: "text", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    touch_id = table.Column<Guid>(type: "uuid", nullable: false),
                    place = table.Column<int>(type: "integer", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_short_links", x => x.code);
                    table.ForeignKey(
                        name: "fk_short_links_touches_touch_id",
                        column: x => x.touch_id,
                        principalTable: "touches",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateIndex(
                name: "ix_absences_practice_id_until",
                table: "absences",
                columns: new[] { "practice_id", "until" });

            migrationBuilder.CreateIndex(
                name: "ix_acts_practice_id_at",
                table: "acts",
                columns: new[] { "practice_id", "at" });

            migrationBuilder.CreateIndex(
                name: "ix_appointments_page_id_key",
                table: "appointments",
                columns: new[] { "page_id", "key" },
                unique: true,
                filter: "key IS NOT NULL");

            migrationBuilder.CreateIndex(
                name: "ix_appointments_person_id_at",
                table: "appointments",
                columns: new[] { "person_id", "at" });

            migrationBuilder.CreateIndex(
                name: "ix_appointments_practice_id_at",
                table: "appointments",
                columns: new[] { "practice_id", "at" });

            migrationBuilder.CreateIndex(
                name: "ix_appointments_with_id_at",
                table: "appointments",
                columns: new[] { "with_id", "at" },
                filter: "cancelled_at IS NULL");

            migrationBuilder.CreateIndex(
                name: "ix_asp_net_role_claims_role_id",
                table: "AspNetRoleClaims",
                column: "role_id");

            migrationBuilder.CreateIndex(
                name: "RoleNameIndex",
                table: "AspNetRoles",
                column: "normalized_name",
                unique: true);

            migrationBuilder.CreateIndex(
                name: "ix_asp_net_user_claims_user_id",
                table: "AspNetUserClaims",
                column: "user_id");

            migrationBuilder.CreateIndex(
                name: "ix_asp_net_user_logins_user_id",
                table: "AspNetUserLogins",
                column: "user_id");

            migrationBuilder.CreateIndex(
                name: "ix_asp_net_user_roles_role_id",
                table: "AspNetUserRoles",
                column: "role_id");

            migrationBuilder.CreateIndex(
                name: "EmailIndex",
                table: "AspNetUsers",
                column: "normalized_email");

            migrationBuilder.CreateIndex(
                name: "ix_asp_net_users_feed_key",
                table: "AspNetUsers",
                column: "feed_key",
                unique: true);

            migrationBuilder.CreateIndex(
                name: "ix_asp_net_users_morning_due",
                table: "AspNetUsers",
                column: "morning_due",
                filter: "morning_due IS NOT NULL");

            migrationBuilder.CreateIndex(
                name: "ix_asp_net_users_practice_id",
                table: "AspNetUsers",
                column: "practice_id");

            migrationBuilder.CreateIndex(
                name: "UserNameIndex",
                table: "AspNetUsers",
                column: "normalized_user_name",
                unique: true);

            migrationBuilder.CreateIndex(
                name: "ix_consent_person_id_at",
                table: "consent",
                columns: new[] { "person_id", "at" });

            migrationBuilder.CreateIndex(
                name: "ix_different_second_id",
                table: "different",
                column: "second_id");

            migrationBuilder.CreateIndex(
                name: "ix_events_act_id",
                table: "events",
                column: "act_id",
                filter: "act_id IS NOT NULL");

            migrationBuilder.CreateIndex(
                name: "ix_events_key",
                table: "events",
                column: "key",
                unique: true,
                filter: "key IS NOT NULL");

            migrationBuilder.CreateIndex(
                name: "ix_events_person_id_at_id",
                table: "events",
                columns: new[] { "person_id", "at", "id" });

            migrationBuilder.CreateIndex(
                name: "ix_events_waiting",
                table: "events",
                columns: new[] { "at", "id" },
                filter: "handled_at IS NULL");

            migrationBuilder.CreateIndex(
                name: "ix_events_waiting_person",
                table: "events",
                column: "person_id",
                filter: "handled_at IS NULL");

            migrationBuilder.CreateIndex(
                name: "ix_figure_tables_key",
                table: "figure_tables",
                column: "key",
                unique: true);

            migrationBuilder.CreateIndex(
                name: "ix_figure_tables_practice_id_name",
                table: "figure_tables",
                columns: new[] { "practice_id", "name" },
                unique: true);

            migrationBuilder.CreateIndex(
                name: "ix_forms_practice_id_name",
                table: "forms",
                columns: new[] { "practice_id", "name" },
                unique: true);

            migrationBuilder.CreateIndex(
                name: "ix_forms_slug",
                table: "forms",
                column: "slug",
                unique: true);

            migrationBuilder.CreateIndex(
                name: "ix_household_claims_date",
                table: "household_claims",
                column: "date");

            migrationBuilder.CreateIndex(
                name: "ix_import_lines_person_id",
                table: "import_lines",
                column: "person_id");

            migrationBuilder.CreateIndex(
                name: "ix_import_lines_practice_id_fingerprint",
                table: "import_lines",
                columns: new[] { "practice_id", "fingerprint" });

            migrationBuilder.CreateIndex(
                name: "ix_imports_practice_id_created_at",
                table: "imports",
                columns: new[] { "practice_id", "created_at" });

            migrationBuilder.CreateIndex(
                name: "ix_imports_practice_id_header_print",
                table: "imports",
                columns: new[] { "practice_id", "header_print" });

            migrationBuilder.CreateIndex(
                name: "ix_inquiries_answered",
                table: "inquiries",
                columns: new[] { "practice_id", "answered_at", "id" },
                filter: "answered_at IS NOT NULL");

            migrationBuilder.CreateIndex(
                name: "ix_inquiries_deputy_at",
                table: "inquiries",
                column: "deputy_at",
                filter: "answered_at IS NULL AND deputy_at IS NOT NULL");

            migrationBuilder.CreateIndex(
                name: "ix_inquiries_owner_id_received_at",
                table: "inquiries",
                columns: new[] { "owner_id", "received_at" },
                filter: "owner_id IS NOT NULL");

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
                name: "ix_kept_files_practice_id_name",
                table: "kept_files",
                columns: new[] { "practice_id", "name" },
                unique: true);

            migrationBuilder.CreateIndex(
                name: "ix_kept_walks_program_id_name",
                table: "kept_walks",
                columns: new[] { "program_id", "name" },
                unique: true);

            migrationBuilder.CreateIndex(
                name: "ix_key_dates_practice_id_name_month_day",
                table: "key_dates",
                columns: new[] { "practice_id", "name", "month", "day" });

            migrationBuilder.CreateIndex(
                name: "ix_landings_letter_id",
                table: "landings",
                column: "letter_id",
                unique: true);

            migrationBuilder.CreateIndex(
                name: "ix_landings_practice_id_title",
                table: "landings",
                columns: new[] { "practice_id", "title" });

            migrationBuilder.CreateIndex(
                name: "ix_landings_slug",
                table: "landings",
                column: "slug",
                unique: true);

            migrationBuilder.CreateIndex(
                name: "ix_letters_practice_id_name",
                table: "letters",
                columns: new[] { "practice_id", "name" },
                unique: true);

            migrationBuilder.CreateIndex(
                name: "ix_meeting_pages_practice_id_title",
                table: "meeting_pages",
                columns: new[] { "practice_id", "title" });

            migrationBuilder.CreateIndex(
                name: "ix_meeting_pages_slug",
                table: "meeting_pages",
                column: "slug",
                unique: true);

            migrationBuilder.CreateIndex(
                name: "ix_merges_kept_id",
                table: "merges",
                column: "kept_id");

            migrationBuilder.CreateIndex(
                name: "ix_messages_about_id",
                table: "messages",
                column: "about_id",
                filter: "about_id IS NOT NULL");

            migrationBuilder.CreateIndex(
                name: "ix_messages_channel_to_address_sent_at",
                table: "messages",
                columns: new[] { "channel", "to_address", "sent_at" });

            migrationBuilder.CreateIndex(
                name: "ix_messages_message_id",
                table: "messages",
                column: "message_id");

            migrationBuilder.CreateIndex(
                name: "ix_messages_person_id",
                table: "messages",
                column: "person_id");

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
                name: "ix_offers_instead_id",
                table: "offers",
                column: "instead_id");

            migrationBuilder.CreateIndex(
                name: "ix_offers_practice_id_name",
                table: "offers",
                columns: new[] { "practice_id", "name" },
                unique: true);

            migrationBuilder.CreateIndex(
                name: "ix_opportunities_person_id",
                table: "opportunities",
                column: "person_id");

            migrationBuilder.CreateIndex(
                name: "ix_opportunities_practice_id_status_stage_id",
                table: "opportunities",
                columns: new[] { "practice_id", "status", "stage", "id" });

            migrationBuilder.CreateIndex(
                name: "ix_opportunity_moves_opportunity_id_at",
                table: "opportunity_moves",
                columns: new[] { "opportunity_id", "at" });

            migrationBuilder.CreateIndex(
                name: "ix_opportunity_moves_practice_id_at",
                table: "opportunity_moves",
                columns: new[] { "practice_id", "at" });

            migrationBuilder.CreateIndex(
                name: "ix_own_mails_due",
                table: "own_mails",
                column: "next_try",
                filter: "status IN ('waiting', 'handing')");

            migrationBuilder.CreateIndex(
                name: "ix_own_mails_inquiry_id",
                table: "own_mails",
                column: "inquiry_id",
                filter: "inquiry_id IS NOT NULL");

            migrationBuilder.CreateIndex(
                name: "ix_own_mails_person_id",
                table: "own_mails",
                column: "person_id");

            migrationBuilder.CreateIndex(
                name: "ix_own_mails_practice_id_to_address_created_at",
                table: "own_mails",
                columns: new[] { "practice_id", "to_address", "created_at" });

            migrationBuilder.CreateIndex(
                name: "ix_own_mails_submission_id",
                table: "own_mails",
                column: "submission_id");

            migrationBuilder.CreateIndex(
                name: "ix_own_mails_unread",
                table: "own_mails",
                columns: new[] { "practice_id", "member_id" },
                filter: "kind = 'by-itself' AND read_at IS NULL");

            migrationBuilder.CreateIndex(
                name: "ix_own_words_person_id",
                table: "own_words",
                column: "person_id");

            migrationBuilder.CreateIndex(
                name: "ix_people_email_practice_id",
                table: "people",
                columns: new[] { "email", "practice_id" });

            migrationBuilder.CreateIndex(
                name: "ix_people_household_id",
                table: "people",
                column: "household_id",
                filter: "household_id IS NOT NULL");

            migrationBuilder.CreateIndex(
                name: "ix_people_import_id",
                table: "people",
                column: "import_id");

            migrationBuilder.CreateIndex(
                name: "ix_people_mobile_practice_id",
                table: "people",
                columns: new[] { "mobile", "practice_id" });

            migrationBuilder.CreateIndex(
                name: "ix_people_other_phone_practice_id",
                table: "people",
                columns: new[] { "other_phone", "practice_id" },
                filter: "other_phone IS NOT NULL");

            migrationBuilder.CreateIndex(
                name: "ix_people_practice_id_first_sort",
                table: "people",
                columns: new[] { "practice_id", "first_sort" });

            migrationBuilder.CreateIndex(
                name: "ix_people_practice_id_owner_sort_id",
                table: "people",
                columns: new[] { "practice_id", "owner_sort", "id" });

            migrationBuilder.CreateIndex(
                name: "ix_people_practice_id_sort_name_id",
                table: "people",
                columns: new[] { "practice_id", "sort_name", "id" });

            migrationBuilder.CreateIndex(
                name: "ix_people_practice_id_stage",
                table: "people",
                columns: new[] { "practice_id", "stage" });

            migrationBuilder.CreateIndex(
                name: "ix_people_practice_id_stage_sort_id",
                table: "people",
                columns: new[] { "practice_id", "stage_sort", "id" });

            migrationBuilder.CreateIndex(
                name: "ix_people_search_text",
                table: "people",
                column: "search_text")
                .Annotation("Npgsql:IndexMethod", "gin")
                .Annotation("Npgsql:IndexOperators", new[] { "gin_trgm_ops" });

            migrationBuilder.CreateIndex(
                name: "ix_people_to_confirm",
                table: "people",
                columns: new[] { "practice_id", "sort_name" },
                filter: "do_not_contact_to_confirm");

            migrationBuilder.CreateIndex(
                name: "ix_person_states_next_alarm",
                table: "person_states",
                column: "next_alarm");

            migrationBuilder.CreateIndex(
                name: "ix_person_states_next_due_person_id",
                table: "person_states",
                columns: new[] { "next_due", "person_id" });

            migrationBuilder.CreateIndex(
                name: "ix_person_states_practice_id_last_touch_at_person_id",
                table: "person_states",
                columns: new[] { "practice_id", "last_touch_at", "person_id" });

            migrationBuilder.CreateIndex(
                name: "ix_person_states_practice_id_next_touch_at_person_id",
                table: "person_states",
                columns: new[] { "practice_id", "next_touch_at", "person_id" });

            migrationBuilder.CreateIndex(
                name: "ix_person_states_set_aside",
                table: "person_states",
                column: "practice_id",
                filter: "set_aside IS NOT NULL");

            migrationBuilder.CreateIndex(
                name: "ix_programs_practice_id_name",
                table: "programs",
                columns: new[] { "practice_id", "name" },
                unique: true);

            migrationBuilder.CreateIndex(
                name: "ix_ready_programs_name",
                table: "ready_programs",
                column: "name");

            migrationBuilder.CreateIndex(
                name: "ix_ready_programs_practice_id",
                table: "ready_programs",
                column: "practice_id");

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
                name: "ix_received_touch_id",
                table: "received",
                column: "touch_id",
                filter: "touch_id IS NOT NULL");

            migrationBuilder.CreateIndex(
                name: "ix_received_unseen",
                table: "received",
                columns: new[] { "practice_id", "at" },
                filter: "seen_at IS NULL");

            migrationBuilder.CreateIndex(
                name: "ix_refusals_person_id",
                table: "refusals",
                column: "person_id");

            migrationBuilder.CreateIndex(
                name: "ix_refusals_practice_id_at",
                table: "refusals",
                columns: new[] { "practice_id", "at" },
                filter: "dismissed_at IS NULL");

            migrationBuilder.CreateIndex(
                name: "ix_relations_other_id",
                table: "relations",
                column: "other_id");

            migrationBuilder.CreateIndex(
                name: "ix_relations_person_id_other_id_role",
                table: "relations",
                columns: new[] { "person_id", "other_id", "role" },
                unique: true);

            migrationBuilder.CreateIndex(
                name: "ix_runs_person_id_started_at",
                table: "runs",
                columns: new[] { "person_id", "started_at" });

            migrationBuilder.CreateIndex(
                name: "ix_runs_program_id_ended_at",
                table: "runs",
                columns: new[] { "program_id", "ended_at" });

            migrationBuilder.CreateIndex(
                name: "ix_segments_practice_id_name",
                table: "segments",
                columns: new[] { "practice_id", "name" });

            migrationBuilder.CreateIndex(
                name: "ix_sessions_member_id",
                table: "sessions",
                column: "member_id");

            migrationBuilder.CreateIndex(
                name: "ix_short_links_touch_id",
                table: "short_links",
                column: "touch_id");

            migrationBuilder.CreateIndex(
                name: "ix_submissions_doubtful",
                table: "submissions",
                columns: new[] { "practice_id", "at" },
                filter: "status = 'doubtful'");

            migrationBuilder.CreateIndex(
                name: "ix_submissions_form_id_at_id",
                table: "submissions",
                columns: new[] { "form_id", "at", "id" });

            migrationBuilder.CreateIndex(
                name: "ix_submissions_form_id_email_at",
                table: "submissions",
                columns: new[] { "form_id", "email", "at" });

            migrationBuilder.CreateIndex(
                name: "ix_submissions_form_id_key",
                table: "submissions",
                columns: new[] { "form_id", "key" },
                unique: true);

            migrationBuilder.CreateIndex(
                name: "ix_submissions_form_id_print_at",
                table: "submissions",
                columns: new[] { "form_id", "print", "at" });

            migrationBuilder.CreateIndex(
                name: "ix_submissions_person_id",
                table: "submissions",
                column: "person_id");

            migrationBuilder.CreateIndex(
                name: "ix_submissions_unconfirmed",
                table: "submissions",
                column: "asked_at",
                filter: "status = 'unconfirmed'");

            migrationBuilder.CreateIndex(
                name: "ix_submitted_files_submission_id",
                table: "submitted_files",
                column: "submission_id");

            migrationBuilder.CreateIndex(
                name: "ix_tasks_done",
                table: "tasks",
                columns: new[] { "practice_id", "done_at" },
                filter: "done_at IS NOT NULL");

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
                name: "ix_tasks_series_id",
                table: "tasks",
                column: "series_id",
                filter: "series_id IS NOT NULL");

            migrationBuilder.CreateIndex(
                name: "ix_touches_calls_made",
                table: "touches",
                columns: new[] { "practice_id", "closed_at" },
                filter: "kind = 'call' AND status = 'done'");

            migrationBuilder.CreateIndex(
                name: "ix_touches_handing",
                table: "touches",
                column: "leased_until",
                filter: "status = 'handing'");

            migrationBuilder.CreateIndex(
                name: "ix_touches_person_id_due",
                table: "touches",
                columns: new[] { "person_id", "due" });

            migrationBuilder.CreateIndex(
                name: "ix_touches_program_id_step_id",
                table: "touches",
                columns: new[] { "program_id", "step_id" });

            migrationBuilder.CreateIndex(
                name: "ix_touches_reader_id",
                table: "touches",
                column: "reader_id",
                filter: "reader_id IS NOT NULL");

            migrationBuilder.CreateIndex(
                name: "ix_touches_unsettled",
                table: "touches",
                columns: new[] { "practice_id", "status", "due", "id" },
                filter: "status IN ('planned','handing','uncertain','blocked','open')");

            migrationBuilder.CreateIndex(
                name: "ix_visits_person_id_at",
                table: "visits",
                columns: new[] { "person_id", "at" });

            migrationBuilder.CreateIndex(
                name: "ix_visits_touch_id_link_by_machine",
                table: "visits",
                columns: new[] { "touch_id", "link", "by_machine" },
                unique: true)
                .Annotation("Npgsql:NullsDistinct", false);

            DatabaseFunctions.Create(migrationBuilder);
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            DatabaseFunctions.Drop(migrationBuilder);

            migrationBuilder.DropTable(
                name: "absences");

            migrationBuilder.DropTable(
                name: "acts");

            migrationBuilder.DropTable(
                name: "appointments");

            migrationBuilder.DropTable(
                name: "AspNetRoleClaims");

            migrationBuilder.DropTable(
                name: "AspNetUserClaims");

            migrationBuilder.DropTable(
                name: "AspNetUserLogins");

            migrationBuilder.DropTable(
                name: "AspNetUserRoles");

            migrationBuilder.DropTable(
                name: "AspNetUserTokens");

            migrationBuilder.DropTable(
                name: "clock");

            migrationBuilder.DropTable(
                name: "consent");

            migrationBuilder.DropTable(
                name: "counts");

            migrationBuilder.DropTable(
                name: "different");

            migrationBuilder.DropTable(
                name: "events");

            migrationBuilder.DropTable(
                name: "figures");

            migrationBuilder.DropTable(
                name: "household_claims");

            migrationBuilder.DropTable(
                name: "images");

            migrationBuilder.DropTable(
                name: "import_lines");

            migrationBuilder.DropTable(
                name: "inquiries");

            migrationBuilder.DropTable(
                name: "kept_files");

            migrationBuilder.DropTable(
                name: "kept_walks");

            migrationBuilder.DropTable(
                name: "key_dates");

            migrationBuilder.DropTable(
                name: "landing_versions");

            migrationBuilder.DropTable(
                name: "landing_visits");

            migrationBuilder.DropTable(
                name: "lists");

            migrationBuilder.DropTable(
                name: "meeting_pages");

            migrationBuilder.DropTable(
                name: "merges");

            migrationBuilder.DropTable(
                name: "messages");

            migrationBuilder.DropTable(
                name: "notices");

            migrationBuilder.DropTable(
                name: "offers");

            migrationBuilder.DropTable(
                name: "opportunity_moves");

            migrationBuilder.DropTable(
                name: "own_mails");

            migrationBuilder.DropTable(
                name: "own_words");

            migrationBuilder.DropTable(
                name: "person_states");

            migrationBuilder.DropTable(
                name: "practices");

            migrationBuilder.DropTable(
                name: "program_versions");

            migrationBuilder.DropTable(
                name: "providers");

            migrationBuilder.DropTable(
                name: "ready_programs");

            migrationBuilder.DropTable(
                name: "received_files");

            migrationBuilder.DropTable(
                name: "refusals");

            migrationBuilder.DropTable(
                name: "relations");

            migrationBuilder.DropTable(
                name: "runs");

            migrationBuilder.DropTable(
                name: "segments");

            migrationBuilder.DropTable(
                name: "sessions");

            migrationBuilder.DropTable(
                name: "short_links");

            migrationBuilder.DropTable(
                name: "submitted_files");

            migrationBuilder.DropTable(
                name: "suppressions");

            migrationBuilder.DropTable(
                name: "tags");

            migrationBuilder.DropTable(
                name: "tasks");

            migrationBuilder.DropTable(
                name: "visits");

            migrationBuilder.DropTable(
                name: "workers");

            migrationBuilder.DropTable(
                name: "AspNetRoles");

            migrationBuilder.DropTable(
                name: "figure_tables");

            migrationBuilder.DropTable(
                name: "imports");

            migrationBuilder.DropTable(
                name: "programs");

            migrationBuilder.DropTable(
                name: "landings");

            migrationBuilder.DropTable(
                name: "opportunities");

            migrationBuilder.DropTable(
                name: "received");

            migrationBuilder.DropTable(
                name: "AspNetUsers");

            migrationBuilder.DropTable(
                name: "touches");

            migrationBuilder.DropTable(
                name: "submissions");

            migrationBuilder.DropTable(
                name: "letters");

            migrationBuilder.DropTable(
                name: "forms");

            migrationBuilder.DropTable(
                name: "people");

            migrationBuilder.DropTable(
                name: "households");
        }
    }
}
