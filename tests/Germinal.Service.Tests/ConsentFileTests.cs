using System.Text;
using CsCheck;
using Germinal.Core.Engine;
using Germinal.Service.Import;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Tests;

/// <summary>The ledger of consent as a file (rule 10.1): out for a person, in for many.</summary>
public sealed class ConsentFileTests
{
    private const string Header = "email,channel,purpose,topic,decision,basis,at,source,evidence\n";

    private static async Task<ConsentFile> ReadAsync(GerminalDb db, string text) =>
        await ConsentFile.ReadAsync(db, Encoding.UTF8.GetBytes(text), "Ada Quill", default);

    private static async Task<string> OutAsync(GerminalDb db, PersonRow person)
    {
        await using var words = new StringWriter();
        await ConsentFile.WriteAsync(db, person, words, default);
        return words.ToString();
    }

    [Fact]
    public async Task Entries_are_added_with_their_basis_source_and_evidence()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var ida = await world.PersonAsync("Ida", consent: false);
        await using var db = world.Db();
        var file = await ReadAsync(
            db,
            Header
                + "IDA@example.com,email,,,in,client,2026-05-04,\"form, page 2\",scan 17\nida@example.com,text,everything,,out,,2026-06-01T12:00:00Z,on the phone,\n"
        );
        Assert.Equal(new ConsentFileReport(2, 2, 0, []), file.Report with { Problems = [] });
        Assert.Empty(file.Report.Problems);
        Assert.Empty(await db.Consent.Where(c => c.PersonId == ida.Id).ToListAsync());
        await file.AddAsync(default);
        var rows = await db.Consent.AsNoTracking().Where(c => c.PersonId == ida.Id).OrderBy(c => c.At).ToListAsync();
        Assert.Equal(
            ("email", "commercial", true, "client", "form, page 2", "scan 17", "Ada Quill"),
            (rows[0].Channel, rows[0].Purpose, rows[0].IsIn, rows[0].Basis, rows[0].Source, rows[0].Evidence, rows[0].By)
        );
        Assert.Equal(World.At("2026-05-04T00:00"), rows[0].At);
        Assert.Equal(("text", null, false, Instant.FromUtc(2026, 6, 1, 12, 0)), (rows[1].Channel, rows[1].Purpose, rows[1].IsIn, rows[1].At));
    }

    [Theory]
    [InlineData("ida@example.com,fax,,,in,,2026-05-04,form,", "“fax” is no channel; email, text, call or post is.")]
    [InlineData("ida@example.com,email,gossip,,in,,2026-05-04,form,", "“gossip” is no purpose")]
    [InlineData("ida@example.com,email,,,maybe,,2026-05-04,form,", "“maybe” is no decision; in or out is.")]
    [InlineData("ida@example.com,email,,,in,hearsay,2026-05-04,form,", "“hearsay” is nothing a consent can stand on")]
    [InlineData("ida@example.com,email,,moonlight,in,,2026-05-04,form,", "There is no topic “moonlight”")]
    [InlineData("ida@example.com,email,,,in,,2031-05-04,form,", "“2031-05-04” is no day on which it can have been said")]
    [InlineData("ida@example.com,email,,,in,,,form,", "a day up to today")]
    [InlineData("ida@example.com,email,,,in,,2026-05-04,,", "It does not say where it comes from")]
    [InlineData("nobody@example.com,email,,,in,,2026-05-04,form,", "Nobody here has nobody@example.com")]
    [InlineData(",email,,,in,,2026-05-04,form,", "Nobody here has no address and no number")]
    public async Task A_row_that_cannot_be_used_says_why_and_the_others_come_in(string row, string why)
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var ida = await world.PersonAsync("Ida", consent: false);
        await using var db = world.Db();
        var file = await ReadAsync(db, $"{Header}{row}\nida@example.com,email,,,in,,2026-05-04,form,\n");
        Assert.Equal(2, Assert.Single(file.Report.Problems).Line);
        Assert.Contains(why, file.Report.Problems[0].Text, StringComparison.Ordinal);
        await file.AddAsync(default);
        Assert.Single(await db.Consent.Where(c => c.PersonId == ida.Id).ToListAsync());
    }

    [Fact]
    public async Task Of_two_who_share_an_address_both_have_said_no_and_neither_yes()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        await world.PersonAsync("Ida", p => p.Email = "home@example.com", consent: false);
        await world.PersonAsync("Bo", p => p.Email = "home@example.com", consent: false);
        await using var db = world.Db();
        var file = await ReadAsync(db, Header + "home@example.com,email,,,in,,2026-05-04,form,\nhome@example.com,email,,,out,,2026-05-05,form,\n");
        Assert.Contains("2 people share home@example.com", Assert.Single(file.Report.Problems).Text, StringComparison.Ordinal);
        await file.AddAsync(default);
        Assert.Equal(2, await db.Consent.CountAsync(c => !c.IsIn));
        Assert.Equal(0, await db.Consent.CountAsync(c => c.IsIn));
    }

    [Fact]
    public async Task A_no_counts_at_once_for_what_is_under_way()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var ida = await world.PersonAsync("Ida");
        await world.ProgramAsync(
            "Eight",
            """
            "startsWhen":[{"kind":"tag-added","tag":"warm"}]
            """,
            """{"id":"a","kind":"email","when":{"from":"start","offset":"P3D"},"subject":"Hello","body":"b"}"""
        );
        await world.DoAsync(d => d.PutTagAsync([ida.Id], "warm", default));
        await world.WorkAsync();
        await using (var db = world.Db())
        {
            await (await ReadAsync(db, Header + "ida@example.com,email,everything,,out,,2027-02-27,letter,\n")).AddAsync(default);
        }

        await world.MoveToAsync("2027-03-08T10:00");
        Assert.Empty(world.Mail.Sent);
        Assert.All(await world.TouchesAsync(), t => Assert.Contains(t.Status, new[] { TouchStatus.Skipped, TouchStatus.Cancelled }));
    }

    /// <summary>What goes out comes back in without a change, whatever the entries say.</summary>
    [Fact]
    public async Task A_ledger_that_went_out_comes_back_in_and_changes_nothing()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var ida = await world.PersonAsync("Ida", consent: false);
        await using var db = world.Db();
        var word = Gen.String[Gen.Char[" abcÞß,;\"'\n→"], 1, 12].Where(s => s.Trim().Length > 0).Select(s => s.Trim());
        var entry =
            from channel in Gen.OneOf("email", "text", "call", "post")
            from purpose in Gen.OneOf("commercial", "transactional", null)
            from basis in Gen.OneOf("express", "inquiry", "client")
            from isIn in Gen.Bool
            from day in Gen.Int[0, 2000]
            from source in word
            from evidence in word
            select new ConsentRow
            {
                PracticeId = world.Practice,
                PersonId = ida.Id,
                Channel = channel,
                Purpose = purpose,
                Basis = basis,
                IsIn = isIn,
                At = World.At("2020-01-01T09:30") + Duration.FromDays(day),
                Source = source,
                Evidence = evidence,
            };
        await entry
            .Array[1, 40]
            .SampleAsync(
                async rows =>
                {
                    await db.Consent.ExecuteDeleteAsync();
                    db.ChangeTracker.Clear();
                    db.Consent.AddRange(rows.DistinctBy(r => (r.Channel, r.Purpose, r.At)));
                    await db.SaveChangesAsync();
                    var before = await db.Consent.CountAsync();
                    var file = await ReadAsync(db, await OutAsync(db, ida));
                    Assert.Empty(file.Report.Problems);
                    Assert.Equal((before, 0), (file.Report.Known, file.Report.New));
                    await file.AddAsync(default);
                    Assert.Equal(before, await db.Consent.CountAsync());
                },
                iter: 12,
                threads: 1
            );
    }

    [Theory]
    [InlineData("email,channel\nida@example.com,email\n", "no column decision, at, source")]
    [InlineData("channel,decision,at,source\nemail,in,2026-01-01,form\n", "no column email or mobile")]
    [InlineData("", "empty")]
    public async Task A_file_that_is_no_ledger_says_what_one_has(string text, string why)
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        await using var db = world.Db();
        Assert.Contains(why, (await Assert.ThrowsAsync<UnreadableFileException>(() => ReadAsync(db, text))).Message, StringComparison.Ordinal);
    }
}
