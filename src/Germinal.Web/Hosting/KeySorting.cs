using System.Linq.Expressions;
using System.Runtime.CompilerServices;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Hosting;

/// <summary>
/// Sorting by a column and the id, going on after a key: <c>(column, id) &gt; (value, id)</c>, which PostgreSQL answers
/// from the index at any depth.
/// </summary>
public static class KeySorting
{
    /// <summary>People in the order of a column that is never null, then id, after the given key if there is one.</summary>
    public static IQueryable<PersonRow> Apply<T>(IQueryable<PersonRow> people, Expression<Func<PersonRow, T>> by, (T Value, Guid Id)? after, bool down)
    {
        if (after is { } key)
        {
            people = people.Where(Beyond(by, key.Value, key.Id, down));
        }

        return down ? people.OrderByDescending(by).ThenByDescending(p => p.Id) : people.OrderBy(by).ThenBy(p => p.Id);
    }

    private static Expression<Func<PersonRow, bool>> Beyond<T>(Expression<Func<PersonRow, T>> by, T value, Guid id, bool down)
    {
        var create = typeof(ValueTuple)
            .GetMethods()
            .First(m => m.Name == nameof(ValueTuple.Create) && m.GetGenericArguments().Length == 2)
            .MakeGenericMethod(typeof(T), typeof(Guid));
        Expression Tuple(Expression first, Expression second) => Expression.Convert(Expression.Call(create, first, second), typeof(ITuple));
        var holder = Expression.Constant(new Key<T>(value, id));
        var row = Tuple(by.Body, Expression.Property(by.Parameters[0], nameof(PersonRow.Id)));
        var wanted = Tuple(Expression.Property(holder, nameof(Key<T>.Value)), Expression.Property(holder, nameof(Key<T>.Id)));
        var compare = typeof(NpgsqlDbFunctionsExtensions).GetMethod(
            down ? nameof(NpgsqlDbFunctionsExtensions.LessThan) : nameof(NpgsqlDbFunctionsExtensions.GreaterThan),
            [typeof(DbFunctions), typeof(ITuple), typeof(ITuple)]
        )!;
        return Expression.Lambda<Func<PersonRow, bool>>(
            Expression.Call(compare, Expression.Property(null, typeof(EF), nameof(EF.Functions)), row, wanted),
            by.Parameters
        );
    }

    private sealed record Key<T>(T Value, Guid Id);
}
