namespace Germinal.StandIns;

/// <summary>The feed of a paper that there is not, as somebody else would write it (RSS 2.0).</summary>
internal static class News
{
    public const string Feed = """
        <?xml version="1.0" encoding="utf-8"?>
        <rss version="2.0"><channel>
        <title>Port Averil Courier</title><link>https://courier.example.com/</link><description>What is on by the harbour</description>
        <item><title>Ferry timetable changes on 15 March</title><link>https://courier.example.com/ferry</link><guid>ferry-2027-03</guid><pubDate>Sat, 27 Feb 2027 09:00:00 GMT</pubDate>
        <description>&lt;p&gt;The morning boat leaves at 6:40 from then on.&lt;/p&gt;&lt;p&gt;The evening boat stays as it is.&lt;/p&gt;</description></item>
        <item><title>Boat works take on eight apprentices</title><link>https://courier.example.com/boat-works</link><guid>boat-works-2027</guid><pubDate>Thu, 25 Feb 2027 09:00:00 GMT</pubDate>
        <description>&lt;p&gt;Applications are open until the end of April; an evening for parents is planned in the net loft.&lt;/p&gt;</description></item>
        <item><title>Town sets the rate for 2027</title><link>https://courier.example.com/rate</link><guid>rate-2027</guid><pubDate>Mon, 22 Feb 2027 09:00:00 GMT</pubDate>
        <description>&lt;p&gt;Owners pay about as much as last year. Bills go out in May.&lt;/p&gt;</description></item>
        <item><title>Library: a table for forms, every second Tuesday</title><link>https://courier.example.com/library</link><guid>library-forms</guid><pubDate>Fri, 19 Feb 2027 09:00:00 GMT</pubDate>
        <description>&lt;p&gt;Whoever has a form that will not be filled brings it along; two volunteers sit there from four to six.&lt;/p&gt;</description></item>
        </channel></rss>
        """;
}
