import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Dialog } from 'radix-ui';
import { useState } from 'react';
import { toast } from 'sonner';
import { api, take } from '../../api/client';
import { Button, Trouble } from '../../ui/bits';
import { phrase } from '../../words/phrase';

/** Before it is switched on: who would start now, how many, and the choice between from now on and also these. */
export function SwitchOn({
  id,
  draftNumber,
  published,
  disabled,
  ready,
}: {
  id: string;
  draftNumber: number;
  published: boolean;
  disabled: boolean;
  ready: () => Promise<number>;
}) {
  const [open, setOpen] = useState(false);
  const [also, setAlso] = useState(false);
  const [number, setNumber] = useState(draftNumber);
  const queries = useQueryClient();
  const who = useQuery({
    queryKey: ['who', id, number],
    enabled: open,
    queryFn: () => take(api.GET('/api/programs/{id}/who-starts', { params: { path: { id } } })),
  });
  const go = useMutation({
    meta: { says: () => phrase('a program switched on') },
    mutationFn: () =>
      take(api.POST('/api/programs/{id}/switch-on', { params: { path: { id } }, body: { draftNumber: number, alsoThese: also } })),
    onSuccess: (answer) => {
      setOpen(false);
      toast(
        published
          ? phrase('Version {version, number} is published.', { version: answer.version })
          : answer.started > 0
            ? phrase('It is on, and starts for {started, plural, one {# person} other {# people}}.', { started: answer.started })
            : phrase('It is on, from now on.'),
      );
      queries.invalidateQueries({ queryKey: ['program', id] });
    },
  });
  const n = who.data?.count ?? 0;
  return (
    <Dialog.Root
      open={open}
      onOpenChange={async (o) => {
        if (o) setNumber(await ready());
        setOpen(o);
      }}
    >
      <Dialog.Trigger asChild>
        <Button look="main" disabled={disabled}>
          {published ? phrase('Publish the changes') : phrase('Switch on')}
        </Button>
      </Dialog.Trigger>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/30" />
        <Dialog.Content
          className="float fixed top-1/2 left-1/2 max-h-[86vh] w-[min(560px,94vw)] -translate-x-1/2 -translate-y-1/2 overflow-y-auto p-6"
          aria-describedby={undefined}
        >
          <Dialog.Title className="font-serif text-head">
            {published ? phrase('Publish the changes?') : phrase('Switch it on?')}
          </Dialog.Title>
          {who.isPending && (
            <p className="my-4" role="status">
              {phrase('Seeing who would start …')}
            </p>
          )}
          <Trouble error={who.error} />
          {who.data && (
            <div className="mt-3">
              {published && (
                <p className="mb-3 text-small text-soft">
                  {phrase('Those who are on their way finish the version they started on. Whoever starts from now on gets this one.')}
                </p>
              )}
              <fieldset className="border-0 p-0">
                <legend className="sr-only">{phrase('Who starts')}</legend>
                <label className="flex gap-2 border-t border-rule py-2">
                  <input type="radio" name="who" checked={!also} onChange={() => setAlso(false)} />
                  <span>
                    <b className="font-semibold">{phrase('From now on')}</b>
                    <span className="block text-small text-soft">{phrase('It starts for those who qualify after this.')}</span>
                  </span>
                </label>
                <label className={`flex gap-2 border-y border-rule py-2 ${n === 0 ? 'opacity-60' : ''}`}>
                  <input type="radio" name="who" checked={also} disabled={n === 0} onChange={() => setAlso(true)} />
                  <span>
                    <b className="font-semibold">
                      {n === 0
                        ? phrase('Nobody qualifies now')
                        : phrase('Also {n}', { n: n === 1 ? phrase('this one') : phrase('these {n, number}', { n }) })}
                    </b>
                    {n > 0 && (
                      <span className="block max-h-40 overflow-y-auto text-small text-soft">
                        {who.data.first.map((p) => p.name).join(', ')}
                        {n > who.data.first.length && phrase(' and {n, number} more', { n: n - who.data.first.length })}
                      </span>
                    )}
                  </span>
                </label>
              </fieldset>
              {who.data.refused.length > 0 && (
                <p className="mt-2 text-small text-soft">
                  {phrase('Would not start: {refused}.', {
                    refused: who.data.refused
                      .map((r) => phrase('{count, number} because {reason}', { count: r.count, reason: r.reason }))
                      .join('; '),
                  })}
                </p>
              )}
              <Trouble error={go.error} />
              <div className="mt-5 flex items-center gap-5">
                <Button look="main" onClick={() => go.mutate()} disabled={go.isPending}>
                  {published ? phrase('Publish') : phrase('Switch on')}
                  {also && n > 0 ? phrase(' and start for {n, number}', { n }) : ''}
                </Button>
                <Dialog.Close asChild>
                  <Button look="plain">{phrase('not yet')}</Button>
                </Dialog.Close>
              </div>
            </div>
          )}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
