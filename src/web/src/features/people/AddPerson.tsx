import { useMutation } from '@tanstack/react-query';
import { Popover } from 'radix-ui';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { api, take } from '../../api/client';
import { Button, Field, fieldError } from '../../ui/bits';
import { Float } from '../../ui/Float';
import { useKept } from '../../ui/kept';
import { phrase } from '../../words/phrase';
import { isThere, There } from './There';

const blank = { firstName: '', lastName: '', email: '', mobile: '' };
const inputs: [keyof typeof blank, string][] = [
  ['firstName', phrase('First name')],
  ['lastName', phrase('Last name')],
  ['email', 'Email'],
  ['mobile', 'Mobile'],
];

/** One person by hand. Who is there already is shown at the field, a press away. */
export function AddPerson() {
  const go = useNavigate();
  const [open, setOpen] = useState(false);
  const [fields, setFields, forget] = useKept('new-person', blank);
  const add = useMutation({
    meta: { says: () => phrase('{firstName} {lastName} added', { firstName: fields.firstName, lastName: fields.lastName }).trim() },
    mutationFn: (anyway: boolean) => take(api.POST('/api/people', { body: { ...fields, anyway } })),
    onSuccess: (p) => {
      forget();
      go(`/people/${p.id}`);
    },
  });
  const close = () => {
    setOpen(false);
    forget();
    add.reset();
  };
  return (
    <Popover.Root open={open} onOpenChange={(o) => (o ? setOpen(true) : close())}>
      <Popover.Trigger className="text-leaf hover:underline">{phrase('Add somebody')}</Popover.Trigger>
      <Popover.Portal>
        <Float open={open} close={close} className="w-80 p-4" align="end" sideOffset={6} aria-label={phrase('Add somebody')}>
          <form
            onSubmit={(e) => {
              e.preventDefault();
              add.mutate(false);
            }}
          >
            {inputs.map(([key, label]) => (
              <Field key={key} label={label} error={fieldError(add.error, key)}>
                {(id, by) => (
                  <>
                    <input
                      id={id}
                      aria-describedby={by}
                      className="w-full"
                      value={fields[key]}
                      onChange={(e) => setFields({ ...fields, [key]: e.target.value })}
                    />
                    <There error={add.error} field={key} />
                  </>
                )}
              </Field>
            ))}
            <Button type="submit" look="main" disabled={add.isPending}>
              {phrase('Add')}
            </Button>
            {isThere(add.error) && (
              <Button className="ml-4" disabled={add.isPending} onClick={() => add.mutate(true)}>
                {phrase('It is somebody else: add them')}
              </Button>
            )}
          </form>
        </Float>
      </Popover.Portal>
    </Popover.Root>
  );
}
