import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import { toast } from 'sonner';
import { ApiError, api, type Schemas, take } from '../../api/client';
import { useSession } from '../../app/session';
import { AnotherPerson } from '../../ui/AnotherPerson';
import { Button, Field, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead } from '../../ui/DayPage';
import { useKeys } from '../../ui/keys';
import { Letter } from '../../ui/Letter';
import { NotShown } from '../../ui/NotShown';
import { StepMark, TouchLine } from '../../ui/TouchLine';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { ReadAs } from '../letters/ReadAs';
import { startsOf } from './ProgramList';
import { type ProgramFile, type Step, sayQuestion, sayWhen, stepName } from './programFile';
import { allSteps, passagesOf } from './stepTree';

/** A ready program, read whole as one of one's own people would get it, and its questions for whoever takes it. */
export default function ReadyPage() {
  const { key = '' } = useParams();
  const queries = useQueryClient();
  const [person, setPerson] = useState<string>();
  const [voice, setVoice] = useState<string>();
  const ready = useQuery({
    queryKey: ['ready', key],
    queryFn: () => take(api.GET('/api/ready-programs/{key}', { params: { path: { key } } })),
  });
  const ask = (query: { person?: string; move?: number; voice?: string }) =>
    take(api.GET('/api/ready-programs/{key}/read', { params: { path: { key }, query } }));
  const read = useQuery({
    queryKey: ['ready-read', key, person, voice],
    queryFn: () => ask({ person, voice }),
    placeholderData: (before) => before,
  });
  async function another(move: number) {
    const next = await ask({ person: person ?? read.data?.person.id, move, voice });
    queries.setQueryData(['ready-read', key, next.person.id, voice], next);
    setPerson(next.person.id);
  }
  useKeys({ '[': () => another(-1), ']': () => another(1) });
  if (ready.error) {
    return <NotShown title={phrase('Ready programs')} error={ready.error} to="/programs/ready" all={phrase('All ready programs')} />;
  }
  if (!ready.data) return <Loading />;
  const file = ready.data.file as unknown as ProgramFile;
  const about = ready.data.about;
  const days = new Map(about.line.map((m) => [m.stepId, m.day]));
  const words = new Map(read.data?.steps.map((s) => [s.stepId, s]));
  return (
    <DayPage
      marginTitle={phrase('Take it')}
      margin={
        <>
          {read.data && (
            <>
              <h3>
                <Sentence
                  m="As {person} would get it {span}"
                  v={{
                    person: read.data.person.name,
                    span: <AnotherPerson another={another} />,
                  }}
                />
              </h3>
              <p className="mb-3">
                <Sentence
                  m="from {from}, who {voice}"
                  v={{
                    from: read.data.from,
                    voice: (
                      <select
                        aria-label={phrase('How it speaks')}
                        value={voice ?? file.voice ?? 'I'}
                        onChange={(e) => setVoice(e.target.value)}
                      >
                        <option value="I">{phrase('says I')}</option>
                        <option value="we">{phrase('says we')}</option>
                      </select>
                    ),
                  }}
                />
              </p>
            </>
          )}
          <TakeIt key={key} ready={ready.data} />
        </>
      }
    >
      <PageHead title={about.name} aside={<Link to="/programs/ready">{phrase('All ready programs')}</Link>}>
        {about.about && <p className="mt-1 max-w-[75ch] font-serif">{about.about}</p>}
        {about.from && (
          <p className="text-small text-soft">
            <Sentence
              m="Put on the shelf by {mine}{note}"
              v={{ mine: about.mine ? phrase('your own practice') : about.from, note: about.note && `: ${about.note}` }}
            />
          </p>
        )}
        <TouchLine marks={about.line} />
        <p className="mt-1 font-serif">{phrase('Starts {about}.', { about: startsOf(about) || phrase('by hand') })}</p>
      </PageHead>
      <Steps
        steps={file.steps}
        days={days}
        words={words}
        person={read.data?.person.name ?? ''}
        from={read.data?.from ?? ''}
        another={another}
      />
    </DayPage>
  );
}

type Read = Schemas['StepAsRead'];

function Steps({
  steps,
  days,
  words,
  person,
  from,
  another,
  inside = false,
}: {
  steps: Step[];
  days: Map<string, number>;
  words: Map<string, Read>;
  person: string;
  from: string;
  another: (move: number) => void;
  inside?: boolean;
}) {
  return (
    <ol
      className={inside ? 'mt-2 list-none border-l border-rule p-0 pl-4' : 'm-0 list-none p-0'}
      aria-label={inside ? phrase('Passage') : phrase('Steps')}
    >
      {steps.map((step, i) => {
        const read = words.get(step.id);
        const marked = <StepMark kind={step.kind} color="var(--ink)" />;
        return (
          <li key={step.id} className={inside ? 'py-2' : 'row relative'}>
            {!inside && (
              <span className="gutter">
                <b className="text-ink">{phrase('Day {id, number}', { id: days.get(step.id) ?? 0 })}</b>
              </span>
            )}
            <p className="flex items-baseline gap-2 text-small text-soft">
              {marked} {kindWords[step.kind] ?? step.kind}, {sayWhen(step.when, i === 0 && !inside)}
            </p>
            {read?.subject && <p className="font-serif text-lead font-semibold">{read.subject}</p>}
            {read?.html && (
              <div className="max-w-[65ch]">
                <Letter
                  html={read.html}
                  title={read.subject ?? phrase('{kindWords}, what it says', { kindWords: kindWords[step.kind] ?? step.kind })}
                />
              </div>
            )}
            {read?.lack && (
              <p className="text-small text-straw">{phrase('It could not go to {person}: {lack}.', { person, lack: read.lack })}</p>
            )}
            {read?.page && (
              <ReadAs
                letter={{ subject: read.subject ?? '', page: read.page, text: read.text ?? '', from }}
                person={person}
                another={another}
              />
            )}
            {step.kind === 'hand-over' && <p className="font-serif">{phrase('They go on with “{program}”.', { program: step.program })}</p>}
            {passagesOf(step).map((passage, n) => (
              <div key={passage.pointer}>
                <p className="mt-1 font-serif">
                  {step.kind === 'fork'
                    ? n === 0
                      ? phrase('If {if}', { if: sayQuestion(step.if, (id) => nameOf(steps, id)) })
                      : phrase('Otherwise')
                    : phrase('Some of them, way {n, number}', { n: n + 1 })}
                </p>
                <Steps steps={passage.steps} days={days} words={words} person={person} from={from} another={another} inside />
              </div>
            ))}
          </li>
        );
      })}
    </ol>
  );
}

const nameOf = (steps: Step[], id: string) => {
  const found = allSteps(steps).find((s) => s.id === id);
  return found ? stepName(found) : id;
};

const kindWords: Record<string, string> = {
  email: phrase('an email'),
  text: phrase('a text'),
  call: phrase('a call'),
  note: phrase('a note by hand'),
  task: phrase('a task'),
  'tell-me': phrase('a word to the owner'),
  fork: phrase('a fork'),
  split: phrase('a split'),
  change: phrase('a change'),
  'hand-over': phrase('a hand-over'),
  end: phrase('the end'),
};

/** The few questions a program brings; answered, it is a program of one's own, being written. */
function TakeIt({ ready }: { ready: Schemas['ReadyDto'] }) {
  const queries = useQueryClient();
  const go = useNavigate();
  const [answers, setAnswers] = useState<Record<string, string>>(() =>
    Object.fromEntries(ready.questions.map((q) => [q.id, q.default ?? ''])),
  );
  const key = ready.about.key;
  const taken = useMutation({
    mutationFn: () =>
      take(
        api.POST('/api/ready-programs/{key}/take', {
          params: { path: { key } },
          body: { answers: ready.questions.map((q) => ({ id: q.id, value: answers[q.id] || null })) },
        }),
      ),
    onSuccess: (made) => {
      queries.invalidateQueries({ queryKey: ['programs'] });
      toast(phrase('“{made}” is yours. It goes out to nobody before you switch it on.', { made: made.name }));
      if (made.id) go(`/programs/${made.id}`);
    },
  });
  const off = useMutation({
    mutationFn: () => take(api.DELETE('/api/ready-programs/{key}', { params: { path: { key } } })),
    onSuccess: () => {
      queries.invalidateQueries({ queryKey: ['ready'] });
      toast(phrase('“{about}” is off the shelf.', { about: ready.about.name }));
      go('/programs/ready');
    },
  });
  const problem = taken.error instanceof ApiError ? taken.error : undefined;
  return (
    <>
      <h3>{phrase('Take it')}</h3>
      <form
        onSubmit={(e) => {
          e.preventDefault();
          taken.mutate();
        }}
      >
        {ready.questions.map((q) => (
          <Field key={q.id} label={q.ask} error={problem?.fields[`/answers/${q.id}`]?.[0]}>
            {(id, by) => (
              <Answer id={id} by={by} question={q} value={answers[q.id] ?? ''} set={(value) => setAnswers({ ...answers, [q.id]: value })} />
            )}
          </Field>
        ))}
        {problem && Object.keys(problem.fields).length === 0 && <Trouble error={problem} />}
        <Button type="submit" look="main" disabled={taken.isPending}>
          {phrase('Take it')}
        </Button>
      </form>
      {ready.about.mine && (
        <p className="mt-4">
          <Button look="danger" onClick={() => off.mutate()}>
            {phrase('Take it off the shelf')}
          </Button>
          <Trouble error={off.error} />
        </p>
      )}
    </>
  );
}

function Answer({
  id,
  by,
  question,
  value,
  set,
}: {
  id: string;
  by: string | undefined;
  question: Schemas['AskedDto'];
  value: string;
  set: (value: string) => void;
}) {
  const session = useSession().data;
  const choices: [value: string, words: string][] | undefined =
    question.kind === 'stage'
      ? (session?.stages ?? []).map((s) => [s, s.replace('/', ', ')])
      : question.kind === 'member'
        ? [['owner', phrase('whoever looks after them')], ...(session?.members ?? []).map((m): [string, string] => [m.id, m.name])]
        : question.kind === 'choice'
          ? question.choices.map((c) => [c, c])
          : undefined;
  if (choices) {
    return (
      <select id={id} aria-describedby={by} className="w-full" value={value} onChange={(e) => set(e.target.value)}>
        {!choices.some(([v]) => v === value) && <option value="">{phrase('choose')}</option>}
        {choices.map(([v, words]) => (
          <option key={v} value={v}>
            {words}
          </option>
        ))}
      </select>
    );
  }
  return (
    <input
      id={id}
      aria-describedby={by}
      type={question.kind === 'time' ? 'time' : 'text'}
      list={question.kind === 'tag' ? `${id}-tags` : undefined}
      maxLength={200}
      className={question.kind === 'time' ? '' : 'w-full'}
      value={value}
      onChange={(e) => set(e.target.value)}
    />
  );
}
