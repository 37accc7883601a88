namespace Germinal.Core.Forms;

/// <summary>What becomes of an answer at the person.</summary>
public enum Taking
{
    /// <summary>There was nothing: it is put in.</summary>
    Filled,

    /// <summary>It stood there so already.</summary>
    Same,

    /// <summary>It is put in; what stood there is kept in the thread.</summary>
    Replaced,

    /// <summary>What stood there stays; the answer is kept in the thread.</summary>
    Left,

    /// <summary>What stood there stays until a member decides.</summary>
    Asked,
}

/// <summary>An answer, what stood in its place, and what becomes of it.</summary>
public sealed record TakenAnswer(AnswerPlace Place, string? Before, string Answer, Taking Taking);

/// <summary>Takes answers in at somebody who is known, in one of the three ways (rule 17.2).</summary>
public static class TakenIn
{
    /// <summary>What becomes of each answer; where one place is answered twice, the last answer counts.</summary>
    /// <param name="answers">By place, in the order of the form.</param>
    /// <param name="known">What stands at a place; null or blank for nothing.</param>
    /// <param name="way">Which way.</param>
    public static IReadOnlyList<TakenAnswer> Of(IEnumerable<(AnswerPlace Place, string Value)> answers, Func<AnswerPlace, string?> known, KnownValues way)
    {
        var last = new Dictionary<AnswerPlace, string>();
        foreach (var (place, value) in answers)
        {
            last[place] = value;
        }

        return
        [
            .. last.Select(a =>
            {
                var before = known(a.Key) is { } stands && !string.IsNullOrWhiteSpace(stands) ? stands : null;
                return new TakenAnswer(
                    a.Key,
                    before,
                    a.Value,
                    before is null ? Taking.Filled
                    : string.Equals(before.Trim(), a.Value.Trim(), StringComparison.OrdinalIgnoreCase) ? Taking.Same
                    : way switch
                    {
                        KnownValues.TakeOver => Taking.Replaced,
                        KnownValues.Ask => Taking.Asked,
                        _ => Taking.Left,
                    }
                );
            }),
        ];
    }
}
