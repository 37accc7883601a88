import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { toast } from 'sonner';
import { api, take } from '../../api/client';
import { useNow } from '../../app/session';
import { Button, Field, Trouble } from '../../ui/bits';
import { day, moment } from '../../ui/when';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { type Step, stepName } from './programFile';
import { filled, short } from './StepLine';
import { allSteps } from './stepTree';

/** Those on their way through a program: moved to the newest version, or taken off it, after seeing whom that concerns. */
export function OnTheirWay({
  id,
  onIt,
  zone,
  steps,
  mayStop,
}: {
  id: string;
  onIt: number;
  zone: string;
  steps: Step[];
  mayStop: boolean;
}) {
  const queries = useQueryClient();
  const { now } = useNow();
  const [stopping, setStopping] = useState(false);
  const [who, setWho] = useState(false);
  const older = useQuery({
    queryKey: ['older-runs', id, onIt],
    enabled: onIt > 0,
    queryFn: () => take(api.GET('/api/programs/{id}/older-runs', { params: { path: { id } } })),
  });
  const act = useMutation({
    meta: {
      says: (what: 'move' | 'stop') =>
        what === 'move' ? phrase('those on their way moved to the newest version') : phrase('a program stopped for everybody'),
    },
    mutationFn: (what: 'move' | 'stop') => {
      const path = { params: { path: { id } } };
      return take(what === 'move' ? api.POST('/api/programs/{id}/move-runs', path) : api.POST('/api/programs/{id}/stop-runs', path));
    },
    onSuccess: ({ count: n }, what) => {
      toast(
        what === 'move'
          ? phrase('{n, plural, one {# person moves} other {# people move}} to the newest version.', { n })
          : phrase('Stopped for {n, plural, one {# person} other {# people}}.', { n }),
      );
      setStopping(false);
      queries.invalidateQueries();
    },
  });
  if (onIt === 0) return null;
  return (
    <section aria-label={phrase('Those on their way')} className="mt-4">
      <h3>{phrase('On their way')}</h3>
      <p className="mt-1">
        <Button aria-expanded={who} onClick={() => setWho(!who)}>
          {phrase('{onIt, plural, one {# person is} other {# people are}} on it', { onIt })}
        </Button>
      </p>
      {who && <Who id={id} zone={zone} now={now} steps={steps} />}
      {mayStop && older.data && older.data.onOlder > 0 && (
        <>
          <p className="mt-1">
            {phrase(
              '{onOlder, number} of them {onOlder, plural, one {is} other {are}} on an older version and would go on with it to its end. {changing}',
              {
                onOlder: older.data.onOlder,
                changing:
                  older.data.changing === 0
                    ? phrase('Moved to the newest, nobody’s next date changes.')
                    : phrase('Moved to the newest, the next date changes for {changing, number}:', { changing: older.data.changing }),
              },
            )}
          </p>
          <ul className="m-0 list-none p-0">
            {older.data.first.map((c) => (
              <li key={c.person.id} className="border-t border-dotted border-rule py-1">
                {c.person.name}: {moment(c.now, zone, now)} → {c.then ? moment(c.then, zone, now) : phrase('over')}
              </li>
            ))}
          </ul>
          <Button onClick={() => act.mutate('move')} disabled={act.isPending}>
            {phrase('Move them to the newest')}
          </Button>
        </>
      )}
      {mayStop && (
        <p className="mt-2">
          {stopping ? (
            <Sentence
              m="It stops for {onIt, plural, one {# person} other {# people}}, and what was planned is cancelled. This cannot be taken back. <button>Stop it for {onIt, plural, one {# person} other {# people}}</button> <button2>leave it</button2>"
              v={{
                onIt,
                button: (c) => (
                  <Button look="danger" onClick={() => act.mutate('stop')} disabled={act.isPending}>
                    {c}
                  </Button>
                ),
                button2: (c) => (
                  <Button look="plain" onClick={() => setStopping(false)}>
                    {c}
                  </Button>
                ),
              }}
            />
          ) : (
            <Button look="danger" onClick={() => setStopping(true)}>
              {phrase('stop it for everybody …')}
            </Button>
          )}
        </p>
      )}
      <Trouble error={act.error ?? older.error} />
    </section>
  );
}

/** Who is on it, by the step they stand at. */
function Who({ id, zone, now, steps }: { id: string; zone: string; now: string; steps: Step[] }) {
  const [at, setAt] = useState<string>();
  const onIt = useQuery({
    queryKey: ['on-it', id, at],
    queryFn: () => take(api.GET('/api/programs/{id}/on-it', { params: { path: { id }, query: { step: at } } })),
    placeholderData: (before) => before,
  });
  if (!onIt.data) return onIt.error ? <Trouble error={onIt.error} /> : <p role="status">{phrase('Looking …')}</p>;
  const all = allSteps(steps);
  const name = (step?: string | null) => {
    const found = all.find((s) => s.id === step);
    return found
      ? short(filled(stepName(found), phrase('them'))) || phrase('a step without words')
      : step
        ? phrase('a step of an older version')
        : phrase('nothing planned');
  };
  return (
    <>
      <Field label={phrase('At which step')}>
        {(field) => (
          <select id={field} className="w-full text-ink" value={at ?? ''} onChange={(e) => setAt(e.target.value || undefined)}>
            <option value="">{phrase('any step')}</option>
            {onIt.data.steps.map((s) => (
              <option key={s.stepId ?? ''} value={s.stepId ?? ''}>
                {name(s.stepId)} ({s.count})
              </option>
            ))}
          </select>
        )}
      </Field>
      <ul className="m-0 mb-2 list-none p-0">
        {onIt.data.people.map((p) => (
          <li key={p.person.id + p.since} className="border-t border-dotted border-rule py-1">
            <Link to={`/people/${p.person.id}`}>{p.person.name}</Link>
            <span className="block text-soft">
              {name(p.stepId)}
              {p.paused ? phrase(', paused') : p.due ? `, ${day(p.due, zone, now)}` : ''}
            </span>
          </li>
        ))}
      </ul>
      {!at && onIt.data.count > onIt.data.people.length && (
        <p>{phrase('and {count, number} more', { count: onIt.data.count - onIt.data.people.length })}</p>
      )}
    </>
  );
}
