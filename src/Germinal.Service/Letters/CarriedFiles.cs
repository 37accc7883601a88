using Germinal.Channels.Mail;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.Caching.Memory;

namespace Germinal.Service.Letters;

/// <summary>What is in the files that letters carry. One that goes to thousands is read from the database once; a file never changes.</summary>
public sealed class CarriedFiles(IDbContextFactory<GerminalDb> databases) : IDisposable
{
    private readonly MemoryCache contents = new(new MemoryCacheOptions { SizeLimit = 6L * KeptFile.MostBytes });

    /// <summary>The files of an email, in its order.</summary>
    /// <param name="practice">The practice.</param>
    /// <param name="practiceId">Which it is.</param>
    /// <param name="step">The email.</param>
    /// <param name="stop">Gives up.</param>
    /// <returns>Null where one of them is not kept any more: the letter cannot go.</returns>
    public async Task<IReadOnlyList<CarriedFile>?> OfAsync(Practice practice, Guid practiceId, EmailStep step, CancellationToken stop)
    {
        var files = new List<CarriedFile>();
        foreach (var name in step.Attachments)
        {
            if (practice.Kept?.Files.GetValueOrDefault(name) is not { } file || await ContentAsync(practiceId, file, stop) is not { } content)
            {
                return null;
            }

            files.Add(new CarriedFile(file.Name, file.Type, content));
        }

        return files;
    }

    private async Task<byte[]?> ContentAsync(Guid practiceId, KeptFile file, CancellationToken stop)
    {
        if (contents.TryGetValue(file.Id, out byte[]? known))
        {
            return known;
        }

        await using var db = await databases.CreateDbContextAsync(stop);
        db.PracticeId = practiceId;
        var content = await db.KeptFiles.AsNoTracking().Where(f => f.Id == file.Id).Select(f => f.Content).FirstOrDefaultAsync(stop);
        if (content is not null)
        {
            contents.Set(file.Id, content, new MemoryCacheEntryOptions { Size = content.Length });
        }

        return content;
    }

    /// <inheritdoc/>
    public void Dispose() => contents.Dispose();
}
