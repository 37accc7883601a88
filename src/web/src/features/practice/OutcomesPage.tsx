import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Link } from 'react-router';
import { api, type Schemas, take } from '../../api/client';
import { useMay, useSession } from '../../app/session';
import { Button, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead, Stretch } from '../../ui/DayPage';
import { NameForm } from '../../ui/NameForm';
import { said } from '../../ui/undo';
import { phrase, quoted } from '../../words/phrase';
import { Say, SayOneOf } from '../programs/Say';

type Outcome = Schemas['OutcomeDto'];

/** Each has a key of one digit on the day sheet. */
const most = 9;

const fresh: Outcome = { name: '', reached: true, again: null, againDays: 0, note: false, stage: null, appointment: null, program: null };

/** How calls can end, in the practice’s words, and what usually follows each. */
export default function OutcomesPage() {
  const queries = useQueryClient();
  const may = useMay('change-settings');
  const outcomes = useQuery({ queryKey: ['outcomes'], queryFn: () => take(api.GET('/api/outcomes')) });
  const save = useMutation({
    meta: { says: () => phrase('how calls end') },
    mutationFn: (next: Outcome[]) => take(api.PUT('/api/outcomes', { body: { outcomes: next } })),
    onSuccess: (answer) => {
      queries.setQueryData(['outcomes'], answer);
      queries.invalidateQueries({ queryKey: ['today'] });
    },
  });
  if (outcomes.isPending) return <Loading what={phrase('Opening how calls end')} />;
  const now = outcomes.data ?? [];
  const set = (next: Outcome[]) => save.mutate(next, { onSuccess: () => said(phrase('It is kept.'), () => save.mutateAsync(now)) });
  const put = (i: number, part: Partial<Outcome>) => set(now.map((o, n) => (n === i ? { ...o, ...part } : o)));
  return (
    <DayPage
      marginTitle={phrase('What it does')}
      margin={
        <>
          <h3>{phrase('What it does')}</h3>
          <p>
            {phrase(
              'Each way has the key of its number on the day sheet. What follows is offered with it; whoever called can leave it out or add to it. Pressed by mistake, a call is taken back with all that followed.',
            )}
          </p>
          <p className="mt-3">{phrase('Reached, they have their answer: what they asked no longer waits.')}</p>
        </>
      }
    >
      <PageHead title={phrase('How calls end')} aside={<Link to="/practice">{phrase('The practice')}</Link>} />
      <div className="px-7">
        <Trouble error={outcomes.error ?? save.error} />
      </div>
      <Stretch title={phrase('In the order of their keys')} />
      {now.map((o, i) => (
        <div key={o.name} className="row flex items-baseline gap-4">
          <span className="gutter">{i + 1}</span>
          <p className="m-0 flex-1 font-serif">
            <OutcomeWords outcome={o} put={(part) => put(i, part)} may={may} />
          </p>
          {may && (
            <span className="flex gap-3 text-small">
              {i > 0 && (
                <Button
                  look="plain"
                  className="min-h-6 min-w-6"
                  aria-label={phrase('“{name}” earlier', { name: o.name })}
                  onClick={() => set([...now.slice(0, i - 1), o, now[i - 1] as Outcome, ...now.slice(i + 1)])}
                >
                  ↑
                </Button>
              )}
              {now.length > 1 && (
                <Button look="plain" aria-label={phrase('Take “{name}” out', { name: o.name })} onClick={() => set(now.toSpliced(i, 1))}>
                  {phrase('take out')}
                </Button>
              )}
            </span>
          )}
        </div>
      ))}
      {may && now.length < most && (
        <div className="row font-serif">
          <Say words={phrase('+ another way')} label={phrase('Another way a call can end')} soft>
            {(close) => (
              <NameForm
                label={phrase('How it ends')}
                words={phrase('Add it')}
                take={(name) => {
                  set([...now, { ...fresh, name }]);
                  close();
                }}
              />
            )}
          </Say>
        </div>
      )}
      {!may && <p className="row text-small text-soft">{phrase('A principal changes this.')}</p>}
    </DayPage>
  );
}

/** One way, as a sentence whose parts are changed in place. */
function OutcomeWords({ outcome: o, put, may }: { outcome: Outcome; put: (part: Partial<Outcome>) => void; may: boolean }) {
  const stages = useSession().data?.stages ?? [];
  const programs = useQuery({ queryKey: ['pipeline', 'starts'], queryFn: () => take(api.GET('/api/pipeline/starts')) }).data ?? [];
  const types = useQuery({ queryKey: ['practice'], queryFn: () => take(api.GET('/api/practice')) }).data?.appointmentTypes ?? [];
  const stageName = (stage: string) => stage.split('/')[1] ?? stage;
  const words = {
    reached: o.reached ? phrase('they were reached') : phrase('they were not reached'),
    again:
      o.againDays > 0
        ? phrase('they are called again after {againDays, plural, one {# working day} other {# working days}}', { againDays: o.againDays })
        : phrase('they are not called again'),
    note: o.note ? phrase('a note is written') : phrase('no note'),
    stage: o.stage ? phrase('they go to {stage}', { stage: stageName(o.stage) }) : phrase('their stage stays'),
    appointment: o.appointment ? phrase('an appointment is made: {appointment}', { appointment: o.appointment }) : phrase('no appointment'),
    program: o.program
      ? phrase('“{name}” starts', { name: programs.find((p) => p.id === o.program)?.name ?? phrase('a program that is not on') })
      : phrase('no program starts'),
  };
  if (!may)
    return (
      <>
        <b>{o.name}</b>: {Object.values(words).join(', ')}.
      </>
    );
  const label = (part: string) => `${quoted(o.name)}, ${part}`;
  return (
    <>
      <Say words={o.name} label={label(phrase('its name'))}>
        {(close) => (
          <NameForm
            label={phrase('How it ends')}
            start={o.name}
            words={phrase('Call it so')}
            take={(name) => {
              put({ name });
              close();
            }}
          />
        )}
      </Say>
      :{' '}
      <SayOneOf<boolean>
        words={words.reached}
        label={label(phrase('whether they were reached'))}
        choices={[
          [true, phrase('they were reached')],
          [false, phrase('they were not reached')],
        ]}
        now={o.reached}
        choose={(reached) => put({ reached })}
      />
      ,{' '}
      <Say words={words.again} label={label(phrase('when they are called again'))} soft={o.againDays === 0}>
        {(close) => (
          <AgainField
            start={o.againDays}
            take={(againDays) => {
              put({ againDays });
              close();
            }}
          />
        )}
      </Say>
      ,{' '}
      <SayOneOf<boolean>
        words={words.note}
        label={label(phrase('a note'))}
        soft={!o.note}
        choices={[
          [false, phrase('no note')],
          [true, phrase('a note is written')],
        ]}
        now={o.note}
        choose={(note) => put({ note })}
      />
      ,{' '}
      <SayOneOf<string | null>
        words={words.stage}
        label={label(phrase('their stage'))}
        soft={!o.stage}
        choices={[
          [null, phrase('their stage stays')],
          ...stages.map((s) => [s, phrase('they go to {stage}', { stage: stageName(s) })] as const),
        ]}
        now={o.stage}
        choose={(stage) => put({ stage })}
      />
      ,{' '}
      <SayOneOf<string | null>
        words={words.appointment}
        label={label(phrase('an appointment'))}
        soft={!o.appointment}
        choices={[
          [null, phrase('no appointment')],
          ...types.map((t) => [t, phrase('an appointment is made: {appointment}', { appointment: t })] as const),
        ]}
        now={o.appointment}
        choose={(appointment) => put({ appointment })}
      />
      ,{' '}
      <SayOneOf<string | null>
        words={words.program}
        label={label(phrase('a program'))}
        soft={!o.program}
        choices={[
          [null, phrase('no program starts')],
          ...programs.map((p) => [p.id, phrase('“{name}” starts', { name: p.name })] as const),
        ]}
        now={o.program}
        choose={(program) => put({ program })}
      />
      .
    </>
  );
}

function AgainField({ start, take: done }: { start: number; take: (days: number) => void }) {
  return (
    <form
      className="flex flex-wrap items-center gap-2 text-small"
      onSubmit={(e) => {
        e.preventDefault();
        done(Number(new FormData(e.currentTarget).get('days')));
      }}
    >
      <span>{phrase('again after')}</span>
      <input
        name="days"
        type="number"
        min={0}
        max={200}
        required
        autoFocus
        aria-label={phrase('Working days until they are called again')}
        className="w-20"
        defaultValue={start}
      />
      <span>{phrase('working days; 0 for not again')}</span>
      <Button type="submit" look="main">
        {phrase('Keep it so')}
      </Button>
    </form>
  );
}
