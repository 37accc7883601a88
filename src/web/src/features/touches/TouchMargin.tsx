import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { api, type Schemas, take } from '../../api/client';
import { useMay } from '../../app/session';
import { Button, fieldError, Trouble } from '../../ui/bits';
import { DayChooser } from '../../ui/DayChooser';
import { Letter } from '../../ui/Letter';
import { ReasonField } from '../../ui/ReasonField';
import { said } from '../../ui/undo';
import { dayName } from '../../ui/when';
import { phrase, quoted } from '../../words/phrase';
import { type Mark, markTouch, moveTouch, saidDropped } from '../people/acts';
import { usePersonChange } from '../people/usePersonChange';
import { WhoDid } from '../people/WhoDid';

/** A touch picked: whose it is, its why in sentences, and, where that does not stand beside it, what it says. */
export function TouchMargin({
  touchId,
  personId,
  showPerson = true,
  withLetter = true,
}: {
  touchId: string;
  personId: string;
  showPerson?: boolean;
  withLetter?: boolean;
}) {
  const touch = useQuery({
    queryKey: ['touch', touchId],
    queryFn: () => take(api.GET('/api/touches/{id}', { params: { path: { id: touchId }, query: { person: personId } } })),
  });
  if (touch.error) return <Trouble error={touch.error} />;
  if (!touch.data) return <p role="status">{phrase('Looking it up …')}</p>;
  const t = touch.data;
  return (
    <section aria-label={t.heading}>
      {showPerson && (
        <>
          <h2>
            <Link to={`/people/${t.person.id}`} className="text-ink no-underline hover:underline">
              {t.person.name}
            </Link>
          </h2>
          <p className="mb-3">{t.program}</p>
        </>
      )}
      <h3>{t.heading}</h3>
      <ul className="why mt-1 mb-4">
        {t.why.map((w) => (
          <li key={w.text} className={w.tone}>
            <span className="sr-only">{w.tone === 'failed' ? phrase('Against it: ') : ''}</span>
            {w.text}
          </li>
        ))}
      </ul>
      {(t.canHold || t.held) && <HoldOrDrop touch={t} touchId={touchId} />}
      {t.canMove && <MoveIt touch={t} touchId={touchId} />}
      {t.status === 'sent' && (
        <p className="mb-4 flex flex-wrap gap-x-4 text-small">
          <WhoDid program={t.program} step={t.step} kind={t.kind} />
        </p>
      )}
      {t.canOverrule && <LetItGo touchId={touchId} personId={personId} />}
      {withLetter && t.html && (
        <>
          <h3>{t.kind === 'call' ? phrase('What to say') : t.status === 'sent' ? phrase('What it said') : phrase('What it would say')}</h3>
          <div className="mt-2 border border-rule bg-sheet px-4 py-3.5">
            {t.subject && (
              <>
                <div className="mb-2 border-b border-rule pb-1.5 text-[12px]">
                  {phrase('from {from} to {to}', { from: t.from ?? phrase('nobody'), to: t.to ?? phrase('no address') })}
                </div>
                <div className="mb-1.5 font-serif text-base font-semibold text-ink">{t.subject}</div>
              </>
            )}
            <Letter html={t.html} title={t.kind === 'call' ? phrase('What to say') : phrase('The letter')} />
          </div>
        </>
      )}
    </section>
  );
}

/** Holding, releasing and dropping a message or call that has not gone. */
function HoldOrDrop({ touch, touchId }: { touch: Schemas['TouchDto']; touchId: string }) {
  const queries = useQueryClient();
  const personId = touch.person.id;
  const { held } = touch;
  const says = (how: Mark) => phrase('{person}: “{heading}” to {how}', { person: touch.person.name, heading: touch.heading, how });
  const act = usePersonChange(personId, says, async (how: Mark) => {
    const done = await markTouch(touchId, personId, how);
    for (const key of ['touch', 'today']) queries.invalidateQueries({ queryKey: [key] });
    if (how === 'drop') saidDropped(quoted(touch.heading), personId, done, queries);
  });
  return (
    <p className="mb-4 flex flex-wrap items-baseline justify-between gap-x-5">
      <Button onClick={() => act.mutate(held ? 'release' : 'hold')}>{held ? phrase('release it') : phrase('hold it')}</Button>
      <Button look="danger" onClick={() => act.mutate('drop')}>
        {phrase('drop it')}
      </Button>
      <Trouble error={act.error} />
    </p>
  );
}

/** Letting one touch go although nobody said it may: who may, says why, and that is kept. A no is never overruled. */
function LetItGo({ touchId, personId }: { touchId: string; personId: string }) {
  const queries = useQueryClient();
  const mayOverrule = useMay('overrule-consent');
  const [open, setOpen] = useState(false);
  const [reason, setReason] = useState('');
  const says = () => phrase('one message to go without consent');
  const overrule = usePersonChange(personId, says, async (reason: string) => {
    await take(api.POST('/api/touches/{id}/overrule', { params: { path: { id: touchId } }, body: { person: personId, reason } }));
    setOpen(false);
    queries.invalidateQueries({ queryKey: ['touch', touchId] });
  });
  if (!mayOverrule) return null;
  if (!open) {
    return (
      <p className="mb-4">
        <Button look="plain" onClick={() => setOpen(true)}>
          {phrase('let this one go without consent …')}
        </Button>
      </p>
    );
  }
  return (
    <form
      className="mb-4"
      onSubmit={(e) => {
        e.preventDefault();
        overrule.mutate(reason);
      }}
    >
      <ReasonField
        label={phrase('Why it may go')}
        error={fieldError(overrule.error, 'reason')}
        hint={phrase('Only this one message goes. Your name and the reason are kept with it.')}
        value={reason}
        set={setReason}
      />
      <Trouble error={fieldError(overrule.error, 'reason') ? null : overrule.error} />
      <Button type="submit">{phrase('Let it go')}</Button>{' '}
      <Button look="plain" onClick={() => setOpen(false)}>
        {phrase('leave it')}
      </Button>
    </form>
  );
}

/** Moving it to another day, with the way back. */
function MoveIt({ touch, touchId }: { touch: Schemas['TouchDto']; touchId: string }) {
  const queries = useQueryClient();
  const person = touch.person.id;
  const again = () => {
    for (const key of ['touch', 'today', 'almanac']) queries.invalidateQueries({ queryKey: [key] });
  };
  const move = usePersonChange(
    person,
    (to: string | null) =>
      phrase('{person}: “{heading}” to {to}', { person: touch.person.name, heading: touch.heading, to: to ?? phrase('its own day') }),
    async (to: string | null) => {
      const done = await moveTouch(touchId, person, to);
      again();
      said(
        done.willNot
          ? phrase('Moved, but it will not go there: {willNot}', { willNot: done.willNot })
          : to
            ? phrase('Moved to {to}', { to: dayName(to) })
            : phrase('It stands on its own day again'),
        () => moveTouch(touchId, person, done.before ?? null).then(again),
      );
    },
  );
  return (
    <div className="mb-4 text-small">
      <Trouble error={move.error} />
      <DayChooser words={phrase('move to another day')} choose={(day) => move.mutate(day)} busy={move.isPending} />
      {touch.movedTo && (
        <Button className="ml-4" disabled={move.isPending} onClick={() => move.mutate(null)}>
          {phrase('back to its own day')}
        </Button>
      )}
    </div>
  );
}
