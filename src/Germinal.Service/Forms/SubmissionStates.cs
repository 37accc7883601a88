namespace Germinal.Service.Forms;

/// <summary>How far what somebody sent by a form is, as it is stored. Closed.</summary>
public static class SubmissionStates
{
    /// <summary>It has made a person, or was found to be of one.</summary>
    public const string Taken = "taken";

    /// <summary>Its sender has been asked whether it was really them (rule 17.3).</summary>
    public const string Unconfirmed = "unconfirmed";

    /// <summary>It may be of no person; it waits apart until a member has looked at it.</summary>
    public const string Doubtful = "doubtful";

    /// <summary>It came when the form was full, and waits for a place.</summary>
    public const string Waiting = "waiting";

    /// <summary>A member found that it is nothing.</summary>
    public const string Nothing = "nothing";
}
