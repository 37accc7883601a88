import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api, type Schemas, take } from '../../api/client';
import { useSession } from '../../app/session';
import { Button } from '../../ui/bits';
import { dayName } from '../../ui/when';
import { phrase } from '../../words/phrase';

/** What follows a call; an empty text is nothing. */
export type Next = { again: string; note: boolean; stage: string; appointment: string; at: string; program: string };

/** Nothing. */
const nothing: Next = { again: '', note: false, stage: '', appointment: '', at: '', program: '' };

/** What usually follows a call that ends so. */
export const usualNext = (outcome?: Schemas['OutcomeDto']): Next =>
  outcome
    ? {
        again: outcome.again ?? '',
        note: outcome.note,
        stage: outcome.stage ?? '',
        appointment: outcome.appointment ?? '',
        at: '',
        program: outcome.program ?? '',
      }
    : nothing;

/** As it is sent. An appointment without a time is none. */
export const nextBody = (n: Next): Schemas['NextBody'] => ({
  again: n.again || null,
  note: n.note,
  stage: n.stage || null,
  appointment: n.appointment && n.at ? n.appointment : null,
  at: n.appointment && n.at ? n.at : null,
  program: n.program || null,
});

/** What follows a call, said in words; opened, each part can be changed, taken out or added. */
export function NextStep({ next, set }: { next: Next; set: (next: Next) => void }) {
  // An appointment has to be given its time.
  const [open, setOpen] = useState(next.appointment !== '');
  const stages = useSession().data?.stages ?? [];
  const programs = useQuery({ queryKey: ['pipeline', 'starts'], queryFn: () => take(api.GET('/api/pipeline/starts')) }).data ?? [];
  const types =
    useQuery({ queryKey: ['practice'], queryFn: () => take(api.GET('/api/practice')), enabled: open }).data?.appointmentTypes ?? [];
  const put = (part: Partial<Next>) => set({ ...next, ...part });
  if (!open) {
    const words = wordsOf(next, programs);
    return (
      <p className="basis-full text-small">
        <span className="text-soft">{words ? phrase('Then: {words}. ', { words }) : ''}</span>
        <Button onClick={() => setOpen(true)}>{words ? phrase('change what follows') : phrase('and what follows …')}</Button>
      </p>
    );
  }
  return (
    <fieldset className="m-0 flex basis-full flex-wrap items-center gap-x-4 gap-y-2 border-0 p-0 text-small">
      <legend className="sr-only">{phrase('What follows')}</legend>
      <label>
        {phrase('call again on')} <input type="date" className="w-36" value={next.again} onChange={(e) => put({ again: e.target.value })} />
      </label>
      <label>
        <input type="checkbox" className="mr-1.5" checked={next.note} onChange={(e) => put({ note: e.target.checked })} />
        {phrase('write a note')}
      </label>
      <select
        aria-label={phrase('Stage that follows')}
        className="max-w-52"
        value={next.stage}
        onChange={(e) => put({ stage: e.target.value })}
      >
        <option value="">{phrase('stage as it is')}</option>
        {stages.map((s) => (
          <option key={s} value={s}>
            {phrase('to {split}', { split: s.split('/')[1] ?? s })}
          </option>
        ))}
      </select>
      <select
        aria-label={phrase('Program that follows')}
        className="max-w-52"
        value={next.program}
        onChange={(e) => put({ program: e.target.value })}
      >
        <option value="">{phrase('no program')}</option>
        {programs.map((p) => (
          <option key={p.id} value={p.id}>
            {phrase('start {name}', { name: p.name })}
          </option>
        ))}
      </select>
      <span className="flex flex-wrap items-center gap-2">
        <select
          aria-label={phrase('Appointment that was made')}
          className="max-w-52"
          value={next.appointment}
          onChange={(e) => put({ appointment: e.target.value })}
        >
          <option value="">{phrase('no appointment')}</option>
          {[...new Set([...types, ...(next.appointment ? [next.appointment] : [])])].map((t) => (
            <option key={t} value={t}>
              {t}
            </option>
          ))}
        </select>
        {next.appointment && (
          <input
            aria-label={phrase('When it is, on the practice’s clock')}
            type="datetime-local"
            required
            value={next.at}
            onChange={(e) => put({ at: e.target.value })}
          />
        )}
      </span>
    </fieldset>
  );
}

function wordsOf(n: Next, programs: readonly Schemas['StartsAtEnd'][]) {
  return [
    n.again && phrase('called again {again}', { again: dayName(n.again) }),
    n.note && phrase('a note to write'),
    n.stage && phrase('to {split}', { split: n.stage.split('/')[1] ?? n.stage }),
    n.program && phrase('{name} starts', { name: programs.find((p) => p.id === n.program)?.name ?? phrase('a program') }),
  ]
    .filter(Boolean)
    .join(' · ');
}
