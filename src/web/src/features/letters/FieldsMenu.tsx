import { useQuery } from '@tanstack/react-query';
import { api, take } from '../../api/client';
import { Menu, MenuItem } from '../../ui/Menu';
import { phrase } from '../../words/phrase';

/** What can be filled in for each reader, by what it means; the words of the template stand small beside it. */
export function FieldsMenu({ insert, className = '' }: { insert: (template: string) => void; className?: string }) {
  const fields = useQuery({
    queryKey: ['fields'],
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: () => take(api.GET('/api/programs/fields')),
  });
  return (
    <Menu
      trigger={phrase('Fields')}
      className={`min-h-6 px-1.5 text-small text-leaf ${className}`}
      list="!max-h-80"
      align="end"
      focusElsewhere
    >
      {fields.data?.map((f) => (
        <MenuItem key={f.field} choose={() => insert(`{{ ${f.field} }}`)}>
          <span className="min-w-44 flex-1 font-semibold first-letter:uppercase">{f.meaning}</span>
          <span className="text-soft">{f.field}</span>
        </MenuItem>
      ))}
    </Menu>
  );
}

/** A text with a field put in where the cursor stands, and where the cursor stands then. */
export function putIn(text: string, field: string, from: number, to: number): [text: string, cursor: number] {
  return [text.slice(0, from) + field + text.slice(to), from + field.length];
}
