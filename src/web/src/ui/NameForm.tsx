import { Button } from './bits';

/**
 * One name, typed and taken.
 * @param label what is asked for
 * @param words on the button that takes it
 * @param start what stands in it first
 * @param longest letters of a name
 */
export function NameForm({
  label,
  words,
  start = '',
  longest = 40,
  take,
}: {
  label: string;
  words: string;
  start?: string;
  longest?: number;
  take: (name: string) => void;
}) {
  return (
    <form
      className="flex gap-3"
      onSubmit={(e) => {
        e.preventDefault();
        const name = new FormData(e.currentTarget).get('name');
        if (typeof name === 'string' && name.trim()) take(name.trim());
      }}
    >
      <input name="name" aria-label={label} defaultValue={start} maxLength={longest} autoFocus className="min-w-0 flex-1" />
      <Button type="submit" look="main">
        {words}
      </Button>
    </form>
  );
}
