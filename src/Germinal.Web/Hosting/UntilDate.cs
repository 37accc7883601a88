using Germinal.Core.Time;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Store;
using Microsoft.AspNetCore.Http.HttpResults;
using NodaTime;
using NodaTime.Text;

namespace Germinal.Web.Hosting;

/// <summary>
/// The date until which something holds, as a form sends it: it ends at the beginning of that date on the practice's clock
/// (rules 6.2, 13.2).
/// </summary>
/// <param name="Date">The date; null for no end.</param>
/// <param name="Moment">Its beginning on the practice's clock; null for no end.</param>
/// <param name="Problem">What is wrong with what was sent, or null.</param>
public sealed record UntilDate(LocalDate? Date, Instant? Moment, ValidationProblem? Problem)
{
    private const int MostYears = 50;

    /// <summary>Reads a date that lies after the practice's today; an empty text is no end.</summary>
    public static async Task<UntilDate> ReadAsync(GerminalDb db, string? text, CancellationToken stop)
    {
        if (string.IsNullOrWhiteSpace(text))
        {
            return new UntilDate(null, null, null);
        }

        var zone = (await PracticeReading.LoadAsync(db, stop)).Zone;
        var today = (await PracticeClock.NowAsync(db, stop)).InZone(zone).Date;
        if (LocalDatePattern.Iso.Parse(text.Trim()) is not { Success: true, Value: var date } || date <= today || date > today.PlusYears(MostYears))
        {
            return new UntilDate(
                null,
                null,
                Problems.Field("until", Say($"Give a date after today and within {MostYears} years, {LocalDatePattern.Iso.Format(today.PlusDays(14))} for two weeks; or none for no end."))
            );
        }

        return new UntilDate(date, LocalClock.At(date.AtMidnight(), zone), null);
    }
}
