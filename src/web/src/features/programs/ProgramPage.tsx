import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { DropdownMenu } from 'radix-ui';
import { lazy, type ReactNode, Suspense, useState } from 'react';
import { Link, useParams } from 'react-router';
import { toast } from 'sonner';
import { api, type Schemas, take } from '../../api/client';
import { useNow } from '../../app/session';
import { Button, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead } from '../../ui/DayPage';
import { useKeys } from '../../ui/keys';
import { StepMark, TouchLine } from '../../ui/TouchLine';
import { count, day, moment } from '../../ui/when';
import { AgainForm, ConditionForm, DaysForm, StopForm, TextForm, TriggerForm, WhenForm, WindowForm } from './forms';
import { OnTheirWay } from './OnTheirWay';
import { OtherStep } from './OtherStep';
import {
  conditionsOf,
  newId,
  offsetDays,
  type ProgramFile,
  ruleOf,
  type Step,
  sayCondition,
  sayStop,
  sayTrigger,
  sayWhen,
  sayWindow,
  span,
} from './programFile';
import { Say, SayList, Words } from './Say';
import { SwitchOn } from './SwitchOn';
import { useDraft } from './useDraft';

const LetterEditor = lazy(() => import('./LetterEditor'));

/** A program, read as a page of sentences; the words in bold are the controls. */
export default function ProgramPage() {
  const { id = '' } = useParams();
  const [again, setAgain] = useState(0);
  const loaded = useQuery({
    queryKey: ['program', id],
    queryFn: () => take(api.GET('/api/programs/{id}', { params: { path: { id } } })),
    staleTime: 0,
    refetchOnWindowFocus: false,
  });
  if (loaded.error) {
    return (
      <DayPage marginTitle="Help" margin={null}>
        <PageHead title="Programs" />
        <div className="px-7">
          <Trouble error={loaded.error} />
          <Link to="/programs">All programs</Link>
        </div>
      </DayPage>
    );
  }
  if (!loaded.data) return <Loading />;
  return (
    <Page
      key={`${id}/${loaded.data.version}/${loaded.data.status}/${again}`}
      id={id}
      loaded={loaded.data}
      reload={async () => {
        await loaded.refetch();
        setAgain(again + 1);
      }}
    />
  );
}

function Page({ id, loaded, reload }: { id: string; loaded: Schemas['ProgramDto']; reload: () => void }) {
  const { now, zone } = useNow();
  const { draft, change, findings, line, saved, error, changed, number, ready } = useDraft(id, loaded);
  const queries = useQueryClient();
  const [picked, setPicked] = useState<string | undefined>(draft.steps[0]?.id);
  const [writing, setWriting] = useState<string>();
  const [person, setPerson] = useState<string>();
  const [adding, setAdding] = useState(false);
  const programs = useQuery({ queryKey: ['programs'], queryFn: () => take(api.GET('/api/programs')) });

  const preview = useQuery({
    queryKey: ['preview', id, number, person, picked],
    queryFn: () => take(api.GET('/api/programs/{id}/preview', { params: { path: { id }, query: { person, step: picked } } })),
    placeholderData: (before) => before,
    enabled: saved === 'saved',
  });
  const check = useQuery({
    queryKey: ['check', id, number],
    queryFn: () => take(api.GET('/api/programs/{id}/check', { params: { path: { id } } })),
    enabled: false,
  });

  async function another(move: number) {
    const from = person ?? preview.data?.person.id;
    const next = await take(
      api.GET('/api/programs/{id}/preview', { params: { path: { id }, query: { person: from, move, step: picked } } }),
    );
    queries.setQueryData(['preview', id, number, next.person.id, picked], next);
    setPerson(next.person.id);
  }
  async function runCheck() {
    await ready();
    check.refetch();
  }
  useKeys({ n: () => setAdding(true), c: runCheck, '[': () => another(-1), ']': () => another(1) });

  const paused = useMutation({
    mutationFn: (on: boolean) =>
      take(
        on
          ? api.POST('/api/programs/{id}/resume', { params: { path: { id } } })
          : api.POST('/api/programs/{id}/pause', { params: { path: { id } } }),
      ),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['program', id] }),
    onError: (e) => toast.error(e.message),
  });

  const set = (part: Partial<ProgramFile>) => change((before) => ({ ...before, ...part }));
  const setStep = (step: Step) => change((before) => ({ ...before, steps: before.steps.map((s) => (s.id === step.id ? step : s)) }));
  const at = draft.steps.findIndex((s) => s.id === picked);

  function add(kind: Step['kind']) {
    const steps = draft.steps;
    const place = at < 0 ? steps.length : at + 1;
    const base = {
      id: newId(steps, kind),
      when: steps.length === 0 ? ({ from: 'start', offset: 'P0D' } as const) : ({ from: 'previous', offset: 'P7D' } as const),
    };
    const step: Step =
      kind === 'email'
        ? { ...base, kind, subject: '', body: '' }
        : kind === 'call'
          ? { ...base, kind, script: '', slack: 'P2D', holds: false }
          : kind === 'task'
            ? { ...base, kind, title: '' }
            : kind === 'text' || kind === 'note' || kind === 'tell-me'
              ? { ...base, kind, body: '' }
              : { ...base, kind: 'hand-over', program: programs.data?.find((p) => p.id !== id)?.name ?? draft.name };
    set({ steps: [...steps.slice(0, place), step, ...steps.slice(place)] });
    setPicked(step.id);
    setWriting(kind === 'email' ? step.id : undefined);
  }
  function move(step: Step, by: number) {
    const i = draft.steps.indexOf(step);
    const steps = draft.steps.filter((s) => s !== step);
    steps.splice(Math.min(Math.max(i + by, 0), steps.length), 0, step);
    set({ steps });
  }
  function remove(step: Step) {
    const before = draft.steps;
    set({ steps: before.filter((s) => s !== step) });
    setPicked(undefined);
    toast('The step is taken out.', { action: { label: 'Undo', onClick: () => set({ steps: before }) } });
  }

  const status =
    loaded.status === 'draft'
      ? `being written · ${count(draft.steps.length, 'step', 'steps')}`
      : `${loaded.status} since ${loaded.onSince ? day(loaded.onSince, zone, now) : ''} · version ${loaded.version} · ${loaded.onIt} on it, ${loaded.stopped} stopped, ${loaded.through} through`;
  const conditions = conditionsOf(draft.onlyIf);
  const fieldTrouble = error?.fields['/name']?.[0];
  const at_ = (pointer: string) => findings.filter((f) => f.pointer === pointer || f.pointer.startsWith(`${pointer}/`));
  const errors = findings.filter((f) => !f.isWarning);

  return (
    <DayPage
      marginTitle="For one person"
      margin={
        <Margin
          id={id}
          loaded={loaded}
          draft={draft}
          number={number}
          changed={changed}
          errors={errors.length}
          preview={preview.data}
          picked={picked}
          another={another}
          check={check.data}
          checking={check.isFetching}
          runCheck={runCheck}
          ready={ready}
          pause={(on) => paused.mutate(on)}
        />
      }
    >
      <div className="px-[34px] pt-5 max-[699px]:px-4">
        <div className="flex flex-wrap items-baseline justify-between gap-x-6">
          <input
            aria-label="Name of the program"
            className="min-w-0 flex-1 !border-0 !bg-transparent !p-0 font-serif !text-[32px] font-medium tracking-tight"
            value={draft.name}
            onChange={(e) => set({ name: e.target.value })}
          />
          <span className="text-small text-soft">
            {status}{' '}
            <span aria-live="polite">· {saved === 'saved' ? 'saved' : saved === 'saving' ? 'saving …' : error ? 'not saved' : '…'}</span>
          </span>
        </div>
        {fieldTrouble && (
          <p className="text-small text-ember" role="alert">
            {fieldTrouble}
          </p>
        )}
        {error && !fieldTrouble && (
          <Trouble error={error}>
            {error.status === 409 && (
              <Button look="plain" className="ml-3 underline" onClick={reload}>
                load their version
              </Button>
            )}
          </Trouble>
        )}
        <div className="mt-2">
          <TouchLine marks={line} />
        </div>
        <p className="border-b border-rule pt-2.5 pb-3 font-serif text-[17px] leading-normal">
          Starts when someone{' '}
          <SayList
            items={draft.startsWhen}
            say={sayTrigger}
            word="or"
            label="Starts when"
            set={(startsWhen) => set({ startsWhen })}
            form={(item, done) => <TriggerForm item={item} done={done} />}
          />
          {conditions === null ? (
            ', if a rule from its file holds'
          ) : (
            <>
              {conditions.length > 0 ? ', if they ' : ' '}
              <SayList
                items={conditions}
                say={sayCondition}
                word="and"
                label="Only if they"
                set={(list) => set({ onlyIf: ruleOf(list) })}
                form={(item, done) => <ConditionForm item={item} done={done} />}
              />
            </>
          )}
          . Writes on{' '}
          <Say words={sayWindow(draft)} label={`Window: ${sayWindow(draft)}`}>
            {(close) => (
              <WindowForm
                program={draft}
                done={(part) => {
                  set(part);
                  close();
                }}
              />
            )}
          </Say>
          . The same person{' '}
          <Say words={sayAgain(draft.again)} label={`Again: ${sayAgain(draft.again)}`}>
            {(close) => (
              <AgainForm
                again={draft.again}
                done={(value) => {
                  set({ again: value });
                  close();
                }}
              />
            )}
          </Say>
          .
        </p>
        <Findings findings={[...at_('/startsWhen'), ...findings.filter((f) => f.pointer === '/steps')]} />
      </div>

      <ol className="m-0 list-none p-0" aria-label="Steps">
        {draft.steps.map((step, i) => (
          <StepLine
            key={step.id}
            step={step}
            index={i}
            day={line[i]?.day}
            person={preview.data?.person.name}
            date={preview.data?.touches.find((t) => t.stepId === step.id)?.at}
            zone={preview.data?.zone ?? zone}
            now={now}
            on={picked === step.id}
            pick={() => setPicked(step.id)}
            writing={writing === step.id}
            write={(on) => setWriting(on ? step.id : undefined)}
            findings={at_(`/steps/${i}`)}
            occasion={draft.startsWhen.some((t) => t.kind === 'occasion')}
            all={draft.steps}
            others={[...new Set([...(programs.data?.map((p) => p.name) ?? []), draft.name])]}
            set={setStep}
            move={(by) => move(step, by)}
            remove={() => remove(step)}
            last={i === draft.steps.length - 1}
          />
        ))}
      </ol>

      <div className="px-[34px] pb-10 max-[699px]:px-4">
        <DropdownMenu.Root open={adding} onOpenChange={setAdding}>
          <DropdownMenu.Trigger className="py-1.5 font-serif text-soft hover:text-ink">
            + a step {at >= 0 && at < draft.steps.length - 1 ? 'after this one' : 'here'} <kbd>N</kbd>
          </DropdownMenu.Trigger>
          <DropdownMenu.Portal>
            <DropdownMenu.Content className="float py-1" align="start">
              {(
                [
                  ['email', 'an email'],
                  ['text', 'a text'],
                  ['call', 'a call'],
                  ['note', 'a note'],
                  ['task', 'a task'],
                  ['tell-me', 'a word to the owner'],
                  ['hand-over', 'going on with another program'],
                ] as const
              ).map(([kind, word]) => (
                <DropdownMenu.Item
                  key={kind}
                  className="flex cursor-pointer items-center gap-2 px-3 py-1.5 text-small outline-none data-[highlighted]:bg-leaf-pale"
                  onSelect={() => add(kind)}
                >
                  <StepMark kind={kind} /> {word}
                </DropdownMenu.Item>
              ))}
            </DropdownMenu.Content>
          </DropdownMenu.Portal>
        </DropdownMenu.Root>
        <p className="border-t border-rule pt-3 font-serif text-[17px] leading-normal">
          {draft.stopsWhen.length === 0 ? 'Goes on to its end; stops when they ' : 'Stops when they '}
          <SayList
            items={draft.stopsWhen}
            say={sayStop}
            word="or"
            label="Stops when they"
            set={(stopsWhen) => set({ stopsWhen })}
            form={(item, done) => <StopForm item={item} done={done} />}
          />
          .
        </p>
      </div>
    </DayPage>
  );
}

function sayAgain(again: ProgramFile['again']) {
  if (typeof again !== 'string') return `starts again ${span(again.gap)} after the last time`;
  return { never: 'goes through it once', 'after-finished': 'may start again when through', 'each-time': 'starts each time' }[again];
}

function Findings({ findings }: { findings: Schemas['FindingDto'][] }) {
  return findings.map((f) => (
    <p key={f.message} className={`text-small ${f.isWarning ? 'text-straw' : 'text-ember'}`}>
      {f.message}
    </p>
  ));
}

type StepLineProps = {
  step: Step;
  index: number;
  day?: number;
  person?: string;
  date?: string;
  zone: string;
  now: string;
  on: boolean;
  pick: () => void;
  writing: boolean;
  write: (on: boolean) => void;
  findings: Schemas['FindingDto'][];
  occasion: boolean;
  others: string[];
  all: Step[];
  set: (step: Step) => void;
  move: (by: number) => void;
  remove: () => void;
  last: boolean;
};

function StepLine({
  step,
  index,
  day: dayNumber,
  person,
  date,
  zone,
  now,
  on,
  pick,
  writing,
  write,
  findings,
  occasion,
  others,
  all,
  set,
  move,
  remove,
  last,
}: StepLineProps) {
  const when = (
    <Say words={sayWhen(step.when, index === 0)} label={`When: ${sayWhen(step.when, index === 0)}`}>
      {(close) => (
        <WhenForm
          when={step.when}
          occasion={occasion}
          done={(w) => {
            set({ ...step, when: w });
            close();
          }}
        />
      )}
    </Say>
  );
  const kind = (word: string) => (
    <button type="button" className="say" onClick={pick} aria-pressed={on}>
      {word}
    </button>
  );
  let sentence: ReactNode;
  if (step.kind === 'email') {
    const late = step.lateLimit ? offsetDays(step.lateLimit) : null;
    sentence = (
      <>
        {kind('Email')} “
        <Words
          className="say"
          aria-expanded={writing}
          onClick={() => {
            pick();
            write(!writing);
          }}
        >
          {filled(step.subject, person) || 'no subject yet'}
        </Words>
        ” {when}
        {', '}
        <Say
          words={step.lateLimit ? `unless it would be over ${span(step.lateLimit)} late` : 'however late'}
          label="How late it may be"
          soft={!step.lateLimit}
        >
          {(close) => (
            <DaysForm
              label="Leave it out when it would be more than this many days late"
              value={late}
              none="empty: however late"
              done={(days) => {
                set({ ...step, lateLimit: days === null ? undefined : `P${days}D` });
                close();
              }}
            />
          )}
        </Say>
        .
      </>
    );
  } else if (step.kind === 'call') {
    sentence = (
      <>
        {kind('Call')} {when} with “
        <Say words={step.script ? short(filled(step.script, person)) : 'nothing to say yet'} label="What to say on the call">
          {(close) => (
            <TextForm
              label="What to say; merge fields like {{ person.first_name }} are filled in"
              value={step.script}
              done={(script) => {
                set({ ...step, script });
                close();
              }}
            />
          )}
        </Say>
        ”; may move by{' '}
        <Say
          words={step.slack === 'P1D' ? 'one working day' : `${offsetDays(step.slack) ?? step.slack} working days`}
          label="How far the call may move"
        >
          {(close) => (
            <DaysForm
              label="Working days by which it may move"
              value={offsetDays(step.slack)}
              done={(days) => {
                set({ ...step, slack: `P${days ?? 0}D` });
                close();
              }}
            />
          )}
        </Say>
        .{' '}
        <button
          type="button"
          className={step.holds ? 'say' : 'text-soft hover:text-ink'}
          aria-pressed={step.holds}
          onClick={() => set({ ...step, holds: !step.holds })}
        >
          {step.holds ? 'What follows waits until the call is made.' : 'What follows does not wait for it.'}
        </button>
      </>
    );
  } else if (step.kind !== 'hand-over') {
    sentence = <OtherStep step={step} when={when} kind={kind} all={all} person={person} set={set} />;
  } else {
    sentence = (
      <>
        {kind('They go on')} with{' '}
        <Say words={step.program} label={`Program: ${step.program}`}>
          {(close) => (
            <ul className="m-0 list-none p-0">
              {others.map((name) => (
                <li key={name}>
                  <button
                    type="button"
                    className={`w-full px-2 py-1 text-small hover:bg-leaf-pale ${name === step.program ? 'font-semibold' : ''}`}
                    onClick={() => {
                      set({ ...step, program: name });
                      close();
                    }}
                  >
                    {name}
                  </button>
                </li>
              ))}
            </ul>
          )}
        </Say>{' '}
        {when}.
      </>
    );
  }
  const trouble = findings.some((f) => !f.isWarning);
  return (
    <li className={`row !border-t-0 !px-[34px] !py-[7px] ${on ? 'on' : ''}`}>
      <span className="gutter leading-tight">
        <b className="block font-semibold text-ink">Day {dayNumber ?? '…'}</b>
        {date && <span title={moment(date, zone)}>{day(date, zone, now)}</span>}
      </span>
      <span className="absolute top-[11px] left-[14px]">
        <StepMark kind={step.kind} color={trouble ? 'var(--ember)' : on ? 'var(--leaf)' : 'var(--ink)'} />
      </span>
      <div className="font-serif text-[17px] leading-normal">{sentence}</div>
      {writing && step.kind === 'email' && (
        <Suspense fallback={<Loading what="Opening the letter" />}>
          <LetterEditor
            subject={step.subject}
            body={step.body}
            problems={findings.filter((f) => !f.pointer.includes('/when'))}
            change={(part) => set({ ...step, ...part })}
          />
        </Suspense>
      )}
      {(!writing || step.kind !== 'email') && <Findings findings={findings} />}
      {on && (
        <div className="flex gap-4 pt-1 text-small">
          {step.kind === 'email' && (
            <Button onClick={() => write(!writing)} aria-expanded={writing}>
              {writing ? 'close the letter' : 'write the letter'}
            </Button>
          )}
          {index > 0 && (
            <Button look="plain" onClick={() => move(-1)}>
              up
            </Button>
          )}
          {!last && (
            <Button look="plain" onClick={() => move(1)}>
              down
            </Button>
          )}
          <Button look="danger" onClick={remove}>
            take out
          </Button>
        </div>
      )}
    </li>
  );
}

/** A sentence's words as the person in the margin would read them. */
function filled(text: string, person = 'Leila') {
  return text
    .replace(/\{\{\s*person\.first_name[^}]*\}\}/g, person.split(' ')[0] ?? '')
    .replace(/\{\{\s*([\w.]+)[^}]*\}\}/g, (_, field: string) => `‹${field.replace(/[._]/g, ' ')}›`);
}

function short(text: string) {
  return text.length > 100 ? `${text.slice(0, 97)}…` : text;
}

type MarginProps = {
  id: string;
  loaded: Schemas['ProgramDto'];
  draft: ProgramFile;
  number: number;
  changed: boolean;
  errors: number;
  preview?: Schemas['PreviewDto'];
  picked?: string;
  another: (move: number) => void;
  check?: Schemas['CheckDto'];
  checking: boolean;
  runCheck: () => void;
  ready: () => Promise<number>;
  pause: (on: boolean) => void;
};

/** The page for one real person: the dates, the message as they would read it, and what holds people back. */
function Margin({
  id,
  loaded,
  draft,
  number,
  changed,
  errors,
  preview,
  picked,
  another,
  check,
  checking,
  runCheck,
  ready,
  pause,
}: MarginProps) {
  const { now, zone } = useNow();
  const touch = preview?.touches.find((t) => t.stepId === picked);
  const step = draft.steps.find((s) => s.id === picked);
  return (
    <>
      {preview && (
        <>
          <div className="flex items-baseline justify-between gap-2">
            <h3>As {preview.person.name} gets it</h3>
            <span className="whitespace-nowrap">
              <button type="button" aria-label="The person before" onClick={() => another(-1)}>
                <kbd>[</kbd>
              </button>{' '}
              <button type="button" aria-label="The next person" onClick={() => another(1)}>
                <kbd>]</kbd>
              </button>{' '}
              another
            </span>
          </div>
          {preview.notStarting ? (
            <p className="text-straw">It would not start for them now: {preview.notStarting}.</p>
          ) : (
            <p>
              {touch
                ? `${touch.outcome === 'skipped' ? `Would be left out: ${touch.reason}.` : `${moment(touch.at, preview.zone, now)}, their time.`}`
                : draft.steps.length === 0
                  ? 'Nothing yet: the program has no steps.'
                  : ''}
            </p>
          )}
          {preview.letter && step?.kind === 'email' && preview.letter.stepId === picked && (
            <div className="mt-2 mb-3.5 border border-rule bg-sheet px-4 py-3.5">
              <div className="mb-2 border-b border-rule pb-1.5 text-[12px]">
                {touch && `${moment(touch.at, preview.zone, now)} · `}from {preview.letter.from}
              </div>
              <div className="mb-1.5 font-serif text-base font-semibold text-ink">{preview.letter.subject}</div>
              {/* Sanitised by the server. */}
              <div className="letter" dangerouslySetInnerHTML={{ __html: preview.letter.html }} />
              {preview.letter.missing.length > 0 && (
                <p className="text-ember">Has nothing to put for {preview.letter.missing.map((m) => `“${m}”`).join(' and ')}.</p>
              )}
            </div>
          )}
        </>
      )}
      <h3 className="mt-3">What holds it back</h3>
      {check ? (
        <>
          {check.findings.map((f) => (
            <p key={f.pointer + f.message} className={f.isWarning ? 'text-straw' : 'text-ember'}>
              {f.message}
            </p>
          ))}
          {check.audience.length === 0 && check.findings.length === 0 && (
            <p>Nothing, for the {count(check.lookedAt, 'person', 'people')} looked at.</p>
          )}
          {check.audience.map((a) => (
            <p key={a.pointer + a.text} className="mt-1">
              <b className="font-semibold text-ember">
                {a.text} for {count(a.count, 'person', 'people')}
              </b>
              {': '}
              {a.people.map((p, i) => (
                <span key={p.id}>
                  {i > 0 && ', '}
                  <Link to={`/people/${p.id}?edit=`}>{p.name}</Link>
                </span>
              ))}
              {a.count > a.people.length && ` and ${a.count - a.people.length} more`}
            </p>
          ))}
          <p className="mt-1">Looked at {count(check.lookedAt, 'person', 'people')}.</p>
        </>
      ) : (
        <p>
          {errors > 0
            ? `${count(errors, 'thing has', 'things have')} to be put right first.`
            : 'Check looks at everybody it could start for.'}
        </p>
      )}
      <div className="mt-4 flex flex-wrap items-center gap-x-5 gap-y-2">
        {(loaded.status === 'draft' || changed) && (
          <SwitchOn id={id} draftNumber={number} published={loaded.status !== 'draft'} disabled={errors > 0} ready={ready} />
        )}
        <Button onClick={runCheck} disabled={checking}>
          {checking ? 'Checking …' : 'Check'} <kbd>C</kbd>
        </Button>
        {loaded.status === 'on' && (
          <Button look="plain" onClick={() => pause(false)}>
            Pause
          </Button>
        )}
        {loaded.status === 'paused' && <Button onClick={() => pause(true)}>Resume</Button>}
      </div>
      <OnTheirWay id={id} onIt={loaded.onIt} zone={zone} />
      {errors > 0 && (loaded.status === 'draft' || changed) && (
        <p className="mt-2 text-ember">It cannot be switched on yet; what is wrong stands beside each line.</p>
      )}
    </>
  );
}
