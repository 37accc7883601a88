/**
 * The numbers behind something drawn, as a table that is opened.
 * @param words what opens it
 * @param heads the columns; the first is read, the others are numbers
 * @param rows each with its first word, by which it is known, and its numbers as they are to be read
 */
export function TableBehind({ words, heads, rows }: { words: string; heads: readonly string[]; rows: readonly (readonly string[])[] }) {
  const look = (column: number) => `pr-6 ${column === 0 ? 'text-left' : 'text-right tabular-nums'}`;
  return (
    <details className="text-small text-soft">
      <summary className="cursor-pointer leading-7">{words}</summary>
      <table className="mt-1">
        <thead>
          <tr>
            {heads.map((head, i) => (
              <th key={head} scope="col" className={`font-normal ${look(i)}`}>
                {head}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((row) => (
            <tr key={row[0]}>
              {row.map((cell, i) => (
                <td key={heads[i]} className={look(i)}>
                  {cell}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </details>
  );
}
