namespace Germinal.Service.Inquiries;

/// <summary>How an inquiry ended, as it is stored (rule 17.6). Closed.</summary>
public static class InquiryOutcomes
{
    /// <summary>A member wrote.</summary>
    public const string Wrote = "wrote";

    /// <summary>A member called.</summary>
    public const string Called = "called";

    /// <summary>A member marked it as answered.</summary>
    public const string Marked = "marked";

    /// <summary>A member marked it as nothing.</summary>
    public const string Nothing = "nothing";
}
