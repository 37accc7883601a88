using Germinal.Core.Contact;
using Germinal.Core.Practices;
using Germinal.Service.Engine;
using NodaTime;

namespace Germinal.Service.Tests;

/// <summary>What a practice begins with in a country.</summary>
public sealed class CountryPresetTests
{
    public static TheoryData<string> Countries => [.. CountryPreset.All.Select(p => p.Country)];

    [Theory]
    [MemberData(nameof(Countries))]
    public void A_preset_has_holidays_widens_no_hours_and_says_why(string country)
    {
        var preset = CountryPreset.Of(country)!;

        // 47 CFR 64.1200(c)(1) is the widest that any practice may have.
        Assert.InRange(preset.QuietFrom, new LocalTime(8, 0), preset.QuietTo);
        Assert.InRange(preset.QuietTo, preset.QuietFrom, new LocalTime(21, 0));
        Assert.All(preset.Sources, s => Assert.True(s.What.Length > 0 && s.Source.Length > 0));
        Assert.NotEmpty(preset.Sources);

        // New Year's Day is a holiday in each of them (ISO 8601 date; known without a source).
        Assert.Contains(new LocalDate(2027, 1, 1), PublicHolidays.Of(country));

        // Texts need a yes everywhere.
        Assert.DoesNotContain(Channel.Text, preset.OpenChannels);
        Assert.InRange(preset.ClientMonths, preset.InquiryMonths, 24);
    }

    [Fact]
    public void There_is_one_for_each_country_and_none_for_what_is_none()
    {
        Assert.Equal(CountryPreset.All.Count, CountryPreset.All.Select(p => p.Country).Distinct().Count());
        Assert.Null(CountryPreset.Of("XX"));
        Assert.Null(CountryPreset.Of(""));

        // Rule 10.4: the spans of published rules.
        Assert.Equal((6, 24), (CountryPreset.Of("CA")!.InquiryMonths, CountryPreset.Of("CA")!.ClientMonths));
        Assert.Equal((3, 18), (CountryPreset.Of("US")!.InquiryMonths, CountryPreset.Of("US")!.ClientMonths));
    }
}
