import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Popover } from 'radix-ui';
import { useState } from 'react';
import { Link } from 'react-router';
import { toast } from 'sonner';
import { api, take } from '../../api/client';
import { Button, Field, fieldError, Trouble } from '../../ui/bits';
import { Float } from '../../ui/Float';
import { phrase } from '../../words/phrase';
import { Take } from '../programs/forms';
import type { Step } from '../programs/programFile';

type Email = Extract<Step, { kind: 'email' }>;

/** Whether a step has words of its own or follows a letter of the practice, and going from one to the other. */
export function FollowLetter({ step, set }: { step: Email; set: (step: Email) => void }) {
  const letters = useQuery({ queryKey: ['letters'], queryFn: () => take(api.GET('/api/letters')) });
  const followed = letters.data?.find((l) => l.name.toLowerCase() === step.letter?.toLowerCase());
  const own = useMutation({
    mutationFn: () => take(api.GET('/api/letters/{id}', { params: { path: { id: followed?.id ?? '' } } })),
    onSuccess: (letter) => set({ ...step, letter: undefined, subject: letter.subject, body: letter.body }),
  });
  if (step.letter !== undefined) {
    return (
      <>
        {followed && (
          <Link to={`/letters/${followed.id}`} className="inline-flex min-h-6 items-center no-underline hover:underline">
            {phrase('open the letter')}
          </Link>
        )}
        <Button onClick={() => (followed ? own.mutate() : set({ ...step, letter: undefined, subject: '', body: '' }))}>
          {phrase('give it words of its own')}
        </Button>
        <Trouble error={own.error} />
      </>
    );
  }
  return (
    <>
      {letters.data && letters.data.length > 0 && (
        <Choose
          names={letters.data.map((l) => l.name)}
          choose={(name) => set({ ...step, letter: name, subject: undefined, body: undefined })}
        />
      )}
      {step.body && <Keep step={step} set={set} />}
    </>
  );
}

function Choose({ names, choose }: { names: string[]; choose: (name: string) => void }) {
  const [open, setOpen] = useState(false);
  const [find, setFind] = useState('');
  const shown = names.filter((n) => n.toLowerCase().includes(find.toLowerCase()));
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger asChild>
        <Button>{phrase('follow a letter')}</Button>
      </Popover.Trigger>
      <Popover.Portal container={document.getElementById('main')}>
        <Float
          open={open}
          close={() => setOpen(false)}
          align="start"
          sideOffset={6}
          aria-label={phrase('Follow a letter')}
          className="w-72 p-3"
        >
          {names.length > 8 && (
            <input
              type="search"
              aria-label={phrase('Find a letter')}
              className="mb-2 w-full"
              value={find}
              onChange={(e) => setFind(e.target.value)}
            />
          )}
          <ul className="m-0 max-h-64 list-none overflow-y-auto p-0">
            {shown.map((name) => (
              <li key={name}>
                <button
                  type="button"
                  className="w-full px-2 py-1.5 text-left text-small hover:bg-leaf-pale"
                  onClick={() => {
                    choose(name);
                    setOpen(false);
                  }}
                >
                  {name}
                </button>
              </li>
            ))}
          </ul>
        </Float>
      </Popover.Portal>
    </Popover.Root>
  );
}

/** Keeps a step's words as a letter of the practice, which it follows from then on. */
function Keep({ step, set }: { step: Email; set: (step: Email) => void }) {
  const queries = useQueryClient();
  const [open, setOpen] = useState(false);
  const [name, setName] = useState('');
  const keep = useMutation({
    mutationFn: () => take(api.POST('/api/letters', { body: { name, subject: step.subject ?? '', body: step.body ?? '' } })),
    onSuccess: (letter) => {
      queries.invalidateQueries({ queryKey: ['letters'] });
      set({ ...step, letter: letter.name, subject: undefined, body: undefined });
      setOpen(false);
      toast(phrase('“{letter}” is kept; the step follows it.', { letter: letter.name }));
    },
  });
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger asChild>
        <Button>{phrase('keep it as a letter')}</Button>
      </Popover.Trigger>
      <Popover.Portal container={document.getElementById('main')}>
        <Float
          open={open}
          close={() => setOpen(false)}
          align="start"
          sideOffset={6}
          aria-label={phrase('Keep it as a letter')}
          className="w-72 p-3"
        >
          <Take done={() => keep.mutate()}>
            <Field
              label={phrase('What the letter is called')}
              error={fieldError(keep.error, 'name')}
              hint={phrase('Other steps can follow it then, and it is changed in one place.')}
            >
              {(id, by) => (
                <input
                  id={id}
                  aria-describedby={by}
                  required
                  maxLength={80}
                  className="w-full"
                  value={name}
                  onChange={(e) => setName(e.target.value)}
                />
              )}
            </Field>
          </Take>
        </Float>
      </Popover.Portal>
    </Popover.Root>
  );
}
