using Germinal.Web.Hosting;

namespace Germinal.Web.Journal;

/// <summary>What a call has to say about itself to the journal. One for each request; a call that says nothing is told by its words alone.</summary>
public sealed class JournalNote
{
    /// <summary>More about what was done, in a few words; empty for nothing.</summary>
    public string More { get; private set; } = "";

    /// <summary>The act on people that it was, or null.</summary>
    public Guid? Act { get; private set; }

    /// <summary>Who did it, where the request is not signed in yet: who signs in.</summary>
    public Caller? By { get; private set; }

    /// <summary>Says more.</summary>
    public void Say(string more) => More = more.Length > 400 ? $"{more[..399]}…" : more;

    /// <summary>Names the act, by which the journal of each of its people has it.</summary>
    public void IsAct(Guid? act) => Act = act;

    /// <summary>Names who did it.</summary>
    public void IsBy(Caller caller) => By = caller;
}
