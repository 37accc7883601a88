using Germinal.Core.Messages;
using Germinal.Core.Programs;
using Germinal.Store.Rows;

namespace Germinal.Service.Programs;

/// <summary>What messages cost a practice, in its own money; 0 for what costs nothing.</summary>
/// <param name="Email">One email.</param>
/// <param name="TextPart">One part of a text; a long one has several.</param>
/// <param name="Note">One card or letter by post.</param>
/// <param name="Currency">The currency's code (ISO 4217).</param>
public sealed record MessagePrices(decimal Email, decimal TextPart, decimal Note, string Currency)
{
    /// <summary>Whether anything costs anything.</summary>
    public bool IsSet => Email > 0 || TextPart > 0 || Note > 0;

    /// <summary>What a step's message costs for somebody.</summary>
    /// <param name="step">The step.</param>
    /// <param name="words">A text's words, filled in; asked for only where texts cost something.</param>
    public decimal Of(Step step, Func<string> words) =>
        step switch
        {
            EmailStep => Email,
            NoteStep => Note,
            TextStep when TextPart > 0 => TextPart * TextLength.Of(words()).Parts,
            _ => 0,
        };

    /// <summary>As the practice set them.</summary>
    public static MessagePrices Of(PracticeSettings settings) =>
        new(settings.Prices.Email, settings.Prices.TextPart, settings.Prices.Note, settings.Prices.Currency);
}
