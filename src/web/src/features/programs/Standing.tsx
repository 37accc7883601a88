import { useMutation, useQueryClient } from '@tanstack/react-query';
import { Popover } from 'radix-ui';
import { useState } from 'react';
import { toast } from 'sonner';
import { api, type Schemas, take } from '../../api/client';
import { useMay, useSession } from '../../app/session';
import { Button, Field, Trouble } from '../../ui/bits';
import { Float } from '../../ui/Float';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { Take } from './forms';

type Program = Schemas['ProgramDto'];

/** Whose program it is, whether the list shows it, putting it away, and putting it on the shelf for others. */
export function Standing({ id, name, loaded }: { id: string; name: string; loaded: Program }) {
  const members = useSession().data?.members ?? [];
  const queries = useQueryClient();
  const set = useMutation({
    mutationFn: (body: { ownerId: string | null; hidden: boolean; archived: boolean }) =>
      take(api.PUT('/api/programs/{id}/standing', { params: { path: { id } }, body })),
    onSuccess: () => {
      queries.invalidateQueries({ queryKey: ['program', id] });
      queries.invalidateQueries({ queryKey: ['programs'] });
    },
  });
  const now = { ownerId: loaded.owner?.id ?? null, hidden: loaded.hidden, archived: loaded.archived };
  return (
    <>
      <h3 className="mt-3">{phrase('Whose it is')}</h3>
      <p>
        <select
          aria-label={phrase('Whose program it is')}
          disabled={!loaded.mayChange}
          value={now.ownerId ?? ''}
          onChange={(e) => set.mutate({ ...now, ownerId: e.target.value || null })}
        >
          <option value="">{phrase('everybody’s who writes programs')}</option>
          {members.map((m) => (
            <option key={m.id} value={m.id}>
              {phrase('{owner}’s', { owner: m.name })}
            </option>
          ))}
        </select>
      </p>
      {!loaded.mayChange && (
        <p className="text-straw">
          <Sentence m="{owner} or a principal can change it; you can copy it and change the copy." v={{ owner: loaded.owner?.name }} />
        </p>
      )}
      {loaded.mayChange && (
        <p className="mt-1 flex flex-wrap gap-x-5">
          <Button className="min-h-6" onClick={() => set.mutate({ ...now, hidden: !now.hidden })}>
            {now.hidden ? phrase('Show it in the list') : phrase('Hide it in the list')}
          </Button>
          <Button className="min-h-6" onClick={() => set.mutate({ ...now, archived: !now.archived })}>
            {now.archived ? phrase('Bring it back') : phrase('Put it away')}
          </Button>
          <OnTheShelf id={id} name={name} />
        </p>
      )}
      <Trouble error={set.error} />
    </>
  );
}

/** Puts the program among the ready ones, for the installation's other practices. */
function OnTheShelf({ id, name }: { id: string; name: string }) {
  const may = useMay('switch-programs');
  const queries = useQueryClient();
  const [open, setOpen] = useState(false);
  const [note, setNote] = useState('');
  const put = useMutation({
    mutationFn: () => take(api.POST('/api/programs/{id}/shelf', { params: { path: { id } }, body: { note } })),
    onSuccess: () => {
      setOpen(false);
      queries.invalidateQueries({ queryKey: ['ready'] });
      toast(phrase('“{name}” stands on the shelf, for every practice here to take.', { name }));
    },
  });
  if (!may) return null;
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger asChild>
        <Button className="min-h-6">{phrase('Put it on the shelf')}</Button>
      </Popover.Trigger>
      <Popover.Portal container={document.getElementById('main')}>
        <Float
          open={open}
          close={() => setOpen(false)}
          align="end"
          sideOffset={6}
          aria-label={phrase('Put it on the shelf')}
          className="w-80 p-3"
        >
          <p className="mb-2 text-small">
            {phrase(
              'Every practice of this installation can read it and take it, with its letters and your practice’s name. Yours stays yours.',
            )}
          </p>
          <Take done={() => put.mutate()}>
            <Field label={phrase('What you want to say of it')}>
              {(field) => (
                <textarea id={field} rows={3} maxLength={2000} className="w-full" value={note} onChange={(e) => setNote(e.target.value)} />
              )}
            </Field>
          </Take>
          <Trouble error={put.error} />
        </Float>
      </Popover.Portal>
    </Popover.Root>
  );
}
