import { useQuery } from '@tanstack/react-query';
import { DropdownMenu } from 'radix-ui';
import { api, take } from '../../api/client';

/** What can be filled in for each reader, by what it means; the words of the template stand small beside it. */
export function FieldsMenu({ insert, className = '' }: { insert: (template: string) => void; className?: string }) {
  const fields = useQuery({
    queryKey: ['fields'],
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: () => take(api.GET('/api/programs/fields')),
  });
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className={`px-1.5 text-small text-leaf ${className}`}>Fields</DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          className="float max-h-80 overflow-y-auto py-1"
          align="end"
          collisionPadding={8}
          onCloseAutoFocus={(e) => e.preventDefault()}
        >
          {fields.data?.map((f) => (
            <DropdownMenu.Item
              key={f.field}
              className="flex cursor-pointer gap-3 px-3 py-1 text-small outline-none data-[highlighted]:bg-leaf-pale"
              onSelect={() => insert(`{{ ${f.field} }}`)}
            >
              <span className="min-w-44 flex-1 font-semibold first-letter:uppercase">{f.meaning}</span>
              <span className="text-soft">{f.field}</span>
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

/** A text with a field put in where the cursor stands, and where the cursor stands then. */
export function putIn(text: string, field: string, from: number, to: number): [text: string, cursor: number] {
  return [text.slice(0, from) + field + text.slice(to), from + field.length];
}
