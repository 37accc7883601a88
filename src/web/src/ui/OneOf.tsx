/**
 * One of a few things, each a line to press; the one that stands now is bold.
 * @param none what is said where there is nothing to choose from
 */
export function OneOf<T>({
  choices,
  now,
  none,
  choose,
}: {
  choices?: readonly (readonly [value: T, words: string])[];
  now: T;
  none?: string;
  choose: (value: T) => void;
}) {
  if (choices?.length === 0 && none) return <p className="text-small">{none}</p>;
  return (
    <ul className="m-0 max-h-72 list-none overflow-y-auto p-0">
      {choices?.map(([value, words]) => (
        <li key={words}>
          <button
            type="button"
            className={`w-full px-2 py-1.5 text-left text-small hover:bg-leaf-pale ${value === now ? 'font-semibold' : ''}`}
            onClick={() => choose(value)}
          >
            {words}
          </button>
        </li>
      ))}
    </ul>
  );
}
