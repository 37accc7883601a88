using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Demo;

/// <summary>What the demo practice keeps for its letters: what it offers, and figures of two years for the towns its people live in, from the fixed seed.</summary>
internal static class DemoKept
{
    private const string By = "Ada Quill";

    private static readonly (string Name, string Facts, string Price, LocalDate? From, LocalDate? Until, string WhenOver)[] Offers =
    [
        (
            "Evening talk: what the house is worth",
            "Thursday 22 April, 18:30 to 20:00\nThe net loft, Port Averil\nBring a friend, bring a question",
            "free",
            new LocalDate(2027, 2, 1),
            new LocalDate(2027, 4, 22),
            "instead"
        ),
        (
            "Evening talk: leaving work well",
            "Thursday 14 October, 18:30 to 20:00\nThe net loft, Port Averil\nFor those who stop within five years",
            "free",
            new LocalDate(2027, 4, 23),
            new LocalDate(2027, 10, 14),
            "leave-out"
        ),
        ("Pension check", "Two hours at our table\nEverything you have paid in, on one page\nWhat it comes to each month, in today’s money", "$240", null, null, "leave-out"),
        (
            "First-home afternoon",
            "Saturday 6 March, 14:00 to 17:00\nFrom the first dollar put aside to the keys\nWith a lender and a solicitor at the table",
            "free",
            new LocalDate(2027, 1, 11),
            new LocalDate(2027, 3, 6),
            "hold"
        ),
    ];

    private static readonly (string Town, double Price)[] Towns =
    [
        ("Port Averil", 412_000),
        ("Saltmarsh", 528_000),
        ("Kettle Cove", 689_000),
        ("Dune Harbor", 347_000),
        ("Larkspur Mesa", 571_000),
        ("Red Wash", 438_000),
        ("Pine Hollow", 402_000),
    ];

    /// <summary>Keeps it, once; a practice that has offers already is left alone.</summary>
    public static async Task KeepAsync(GerminalDb db, CancellationToken stop)
    {
        db.PracticeId = DemoPractice.Practice;
        if (await db.Offers.AnyAsync(stop) || !await db.People.AnyAsync(stop))
        {
            return;
        }

        var rows = Offers
            .Select(o => new OfferRow
            {
                Id = Guid.CreateVersion7(),
                PracticeId = DemoPractice.Practice,
                Name = o.Name,
                Facts = o.Facts,
                Price = o.Price,
                Page = "https://alderquay.example.com/" + o.Name.ToLowerInvariant().Replace(": ", "-", StringComparison.Ordinal).Replace(' ', '-'),
                From = o.From,
                Until = o.Until,
                WhenOver = o.WhenOver,
                By = By,
                ChangedAt = DemoPractice.End,
            })
            .ToList();
        rows[0].InsteadId = rows[1].Id;
        db.Offers.AddRange(rows);
        AddFigures(db, new Random(DemoPractice.Seed));
        await db.SaveChangesAsync(stop);
    }

    private static void AddFigures(GerminalDb db, Random random)
    {
        var prices = Table("House prices", ("median price", "$", ""), ("days on the market", "", " days"));
        var rates = Table("Loan rates", ("30 years", "", "%"), ("15 years", "", "%"));
        db.FigureTables.AddRange(prices, rates);
        var (first, last) = (new LocalDate(2025, 2, 1), new LocalDate(2027, 2, 1));
        foreach (var (town, price) in Towns)
        {
            var (now, days) = (price, 44.0);
            for (var month = first; month <= last; month = month.PlusMonths(1))
            {
                now *= 1 + ((random.NextDouble() - 0.42) / 40);
                days = Math.Clamp(days + ((random.NextDouble() - 0.5) * 7), 12, 90);
                db.Figures.Add(Figure(prices, town, "median price", month, Math.Round((decimal)now / 500) * 500));
                db.Figures.Add(Figure(prices, town, "days on the market", month, Math.Round((decimal)days)));
            }
        }

        var rate = 6.6;
        for (var month = first; month <= last; month = month.PlusMonths(1))
        {
            rate = Math.Clamp(rate + ((random.NextDouble() - 0.54) / 4), 4.5, 8);
            db.Figures.Add(Figure(rates, "everywhere", "30 years", month, Math.Round((decimal)rate, 2)));
            db.Figures.Add(Figure(rates, "everywhere", "15 years", month, Math.Round((decimal)(rate - 0.72), 2)));
        }
    }

    private static FigureTableRow Table(string name, params (string Name, string Before, string After)[] measures) =>
        new()
        {
            Id = Guid.CreateVersion7(),
            PracticeId = DemoPractice.Practice,
            Name = name,
            Key = Guid.NewGuid().ToString("N")[..20],
            Measures =
            [
                .. measures.Select(m => new MeasureSettings
                {
                    Name = m.Name,
                    Before = m.Before,
                    After = m.After,
                }),
            ],
            By = By,
            ChangedAt = DemoPractice.End,
        };

    private static FigureRow Figure(FigureTableRow table, string area, string measure, LocalDate month, decimal value) =>
        new()
        {
            PracticeId = DemoPractice.Practice,
            TableId = table.Id,
            Area = area,
            Measure = measure,
            Month = month,
            Value = value,
        };
}
