using System.Globalization;
using Germinal.Core.Files;

namespace Germinal.Core.Tests.Programs;

/// <summary>A file is the same whatever language the machine that writes it speaks.</summary>
public sealed class LanguageTests
{
    private const string File = """
        {"format":"germinal.program/1","name":"I","purpose":"commercial","priority":3,"at":"09:30","window":{"days":["mon"],"from":"08:00","to":"18:30"},
         "startsWhen":[{"kind":"by-hand"}],
         "steps":[{"id":"a","kind":"email","when":{"from":"start","offset":"P1D","at":"07:05"},"subject":"s","body":"b"}]}
        """;

    /// <summary>Where times have points, where i is not the small I, where digits and calendars are others.</summary>
    [Theory]
    [InlineData("en-US"), InlineData("fi-FI"), InlineData("tr-TR"), InlineData("ar-SA"), InlineData("fa-IR"), InlineData("th-TH")]
    public void A_program_is_written_and_read_the_same_in_every_language(string language)
    {
        var before = CultureInfo.CurrentCulture;
        try
        {
            CultureInfo.CurrentCulture = CultureInfo.InvariantCulture;
            var expected = ProgramFile.Write(ProgramFile.Read(File).Program!).ToJsonString();
            CultureInfo.CurrentCulture = CultureInfo.GetCultureInfo(language);
            var reading = ProgramFile.Read(File);
            Assert.Empty(reading.Errors);
            var written = ProgramFile.Write(reading.Program!).ToJsonString();
            Assert.Equal(expected, written);
            Assert.Contains("\"at\":\"09:30\"", written, StringComparison.Ordinal);
        }
        finally
        {
            CultureInfo.CurrentCulture = before;
        }
    }
}
