import { useQuery } from '@tanstack/react-query';
import { Popover } from 'radix-ui';
import { useState } from 'react';
import { Link } from 'react-router';
import { api, type Schemas, take } from '../../api/client';
import { Trouble } from '../../ui/bits';
import { Float } from '../../ui/Float';
import { day } from '../../ui/when';
import { phrase } from '../../words/phrase';
import type { Step } from './programFile';

type Deed = Schemas['StepDeed'];
type What = 'reached' | 'opened' | 'followed' | 'answered' | 'waiting';

const done: Partial<Record<Step['kind'], string>> = {
  email: phrase('sent'),
  text: phrase('sent'),
  call: phrase('made'),
  note: phrase('posted'),
  task: phrase('done'),
};

/** What a step has done so far, small and quiet; each number leads to those it counts. */
export function StepDeeds({ program, step, deed, zone, now }: { program: string; step: Step; deed?: Deed; zone: string; now: string }) {
  const reached = done[step.kind];
  if (!deed) return null;
  const all: [What, number, string][] = [
    ['reached', reached ? deed.reached : 0, reached ?? ''],
    ['opened', step.kind === 'email' ? deed.opened : 0, phrase('opened')],
    ['followed', deed.followed, phrase('followed a link')],
    ['answered', deed.answered, phrase('answered')],
    [
      'waiting',
      deed.waiting,
      step.kind === 'call' || step.kind === 'note' || step.kind === 'task' || step.kind === 'post'
        ? phrase('to come or to do')
        : phrase('waiting now'),
    ],
  ];
  const some = all.filter(([, n]) => n > 0);
  if (some.length === 0) return null;
  return (
    <p className="m-0 flex flex-wrap gap-x-3 pt-1 font-sans text-small text-soft">
      {some.map(([what, n, words]) => (
        <Names key={what} program={program} step={step.id} what={what} words={`${n} ${words}`} zone={zone} now={now} />
      ))}
    </p>
  );
}

/** Those that a number counts, by name. */
function Names({
  program,
  step,
  what,
  words,
  zone,
  now,
}: {
  program: string;
  step: string;
  what: What;
  words: string;
  zone: string;
  now: string;
}) {
  const [open, setOpen] = useState(false);
  const who = useQuery({
    queryKey: ['program', program, 'deeds', step, what],
    enabled: open,
    queryFn: () => take(api.GET('/api/programs/{id}/deeds/{what}', { params: { path: { id: program, what }, query: { step } } })),
  });
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger className="inline-flex min-h-6 items-center hover:text-ink hover:underline">{words}</Popover.Trigger>
      <Popover.Portal container={open ? document.getElementById('main') : undefined}>
        <Float
          open={open}
          close={() => setOpen(false)}
          align="start"
          sideOffset={4}
          aria-label={words}
          className="max-h-80 w-72 overflow-y-auto p-3 text-small"
        >
          <p className="font-semibold">{words}</p>
          {who.error ? <Trouble error={who.error} /> : !who.data && <p role="status">{phrase('Looking …')}</p>}
          <ul className="m-0 list-none p-0">
            {who.data?.people.map((p) => (
              <li key={p.person.id + p.at} className="flex justify-between gap-3 border-t border-dotted border-rule py-1">
                <Link to={`/people/${p.person.id}`}>{p.person.name}</Link>
                <span className="whitespace-nowrap text-soft">{day(p.at, zone, now)}</span>
              </li>
            ))}
          </ul>
          {who.data && who.data.count > who.data.people.length && (
            <p>{phrase('and {count, number} more', { count: who.data.count - who.data.people.length })}</p>
          )}
        </Float>
      </Popover.Portal>
    </Popover.Root>
  );
}
