using Germinal.Service.Engine;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.AspNetCore.DataProtection;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Members;

/// <summary>Members' second factors as they are kept: the secret sealed with the installation's key, recovery codes as marks. No code works twice, whoever tries at once.</summary>
public sealed class Factors(IDataProtectionProvider protection)
{
    private readonly IDataProtector protector = protection.CreateProtector(SealPurposes.SecondFactor);

    /// <summary>Keeps a new secret, which is not asked for yet.</summary>
    /// <returns>The secret in base32.</returns>
    public string Begin(MemberUser member)
    {
        var secret = SecondFactor.NewSecret();
        (member.SealedFactor, member.FactorSince, member.FactorStep) = (protector.Protect(secret), null, 0);
        return secret;
    }

    /// <summary>The secret that was begun; null where there is none, or where this installation's key does not open it.</summary>
    public string? SecretOf(MemberUser member)
    {
        try
        {
            return member.SealedFactor.Length == 0 ? null : protector.Unprotect(member.SealedFactor);
        }
        catch (System.Security.Cryptography.CryptographicException)
        {
            return null;
        }
    }

    /// <summary>Takes a code or a recovery code, so that it does not work again.</summary>
    /// <returns>False where it is none.</returns>
    public async Task<bool> TakeAsync(GerminalDb db, MemberUser member, string code, CancellationToken stop)
    {
        if (SecretOf(member) is { } secret && SecondFactor.StepOf(secret, code, SystemClock.Instance.GetCurrentInstant().ToDateTimeUtc(), member.FactorStep) is { } step)
        {
            return await db.Users.Where(u => u.Id == member.Id && u.FactorStep < step).ExecuteUpdateAsync(u => u.SetProperty(m => m.FactorStep, step), stop) == 1;
        }

        var mark = SecondFactor.Mark(code);
        return await db.Database.ExecuteSqlAsync(
                $"""UPDATE "AspNetUsers" SET recovery_marks = array_remove(recovery_marks, {mark}) WHERE id = {member.Id} AND {mark} = ANY(recovery_marks)""",
                stop
            ) == 1;
    }
}
