import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useEffect, useRef, useState } from 'react';
import { Link, Navigate, useNavigate, useParams, useSearchParams } from 'react-router';
import { toast } from 'sonner';
import { ApiError, api, type Schemas, take } from '../../api/client';
import { useMay, useNow } from '../../app/session';
import { Button, Loading, Trouble } from '../../ui/bits';
import { DayPage, useTitle } from '../../ui/DayPage';
import { typing, useKeys } from '../../ui/keys';
import { Letter } from '../../ui/Letter';
import { money } from '../../ui/money';
import { NotShown } from '../../ui/NotShown';
import { PauseButton } from '../../ui/PauseButton';
import { TouchLine } from '../../ui/TouchLine';
import { said } from '../../ui/undo';
import { day, daysBetween, keyDate, moment } from '../../ui/when';
import { codeWord } from '../../words/codes';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { ReadAs } from '../letters/ReadAs';
import { partsOf } from '../rules/ruleLanguage';
import { SayRules } from '../rules/SayRules';
import { About } from './About';
import { AddStep, newStep } from './AddStep';
import { BeforeItGoes } from './BeforeItGoes';
import { AgainForm, StopForm, TriggerForm, WindowForm } from './forms';
import { Needs } from './Needs';
import { OnTheirWay } from './OnTheirWay';
import { type Pen, PenContext } from './pen';
import { type ProgramFile, type Step, sayAgain, sayStart, sayStop, sayWindow } from './programFile';
import { Say, SayList } from './Say';
import { Standing } from './Standing';
import { StartPeople } from './StartPeople';
import { StepDrag } from './StepDrag';
import { Findings, StepList } from './StepLine';
import { SwitchOn } from './SwitchOn';
import { moveTo, paste, pickedOf, shift, stepsIn, without } from './stepMoves';
import { addAfter, addInto, allSteps, copyStep, replaceStep, stepsBefore } from './stepTree';
import { useDraft } from './useDraft';
import { copiedSteps, pasteText, useStepClipboard } from './useSteps';

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
  // Threads and the almanac lead to programs; one that sends a broadcast has a page of its own.
  const broadcast = useQuery({
    queryKey: ['broadcast', 'of', id],
    enabled: loaded.error instanceof ApiError && loaded.error.status === 404,
    retry: false,
    queryFn: () => take(api.GET('/api/broadcasts/of/{program}', { params: { path: { program: id } } })),
  });
  if (broadcast.data) return <Navigate to={`/programs/broadcasts/${broadcast.data.id}`} replace />;
  if (loaded.error) {
    if (broadcast.isFetching) return <Loading />;
    return <NotShown title={phrase('Programs')} error={loaded.error} to="/programs" all={phrase('All programs')} />;
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
  useTitle(loaded.draft && typeof loaded.draft === 'object' && 'name' in loaded.draft ? String(loaded.draft.name) : phrase('Program'));
  const { draft, change, findings, line, saved, error, changed, number, ready, unsaved, settleUnsaved, ...travel } = useDraft(id, loaded);
  const queries = useQueryClient();
  // Whoever comes to change one step's words finds it open.
  const [address] = useSearchParams();
  const asked = allSteps(draft.steps).find((s) => s.id === address.get('step'));
  const [picked, setPicked] = useState<string | undefined>(asked?.id ?? draft.steps[0]?.id);
  const [writing, setWriting] = useState(asked?.id);
  const [person, setPerson] = useState<string>();
  const [adding, setAdding] = useState(false);
  const [marked, setMarked] = useState<ReadonlySet<string>>(new Set());
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
  const deeds = useQuery({
    queryKey: ['program', id, 'deeds'],
    enabled: loaded.version > 0,
    queryFn: () => take(api.GET('/api/programs/{id}/deeds', { params: { path: { id } } })),
  });

  const paused = useMutation({
    meta: {
      says: ({ on }: { on: boolean }) =>
        on ? phrase('“{name}” to go on', { name: draft.name }) : phrase('“{name}” to rest', { name: draft.name }),
    },
    mutationFn: ({ on, until }: { on: boolean; until: string | null }) =>
      take(
        on
          ? api.POST('/api/programs/{id}/resume', { params: { path: { id } } })
          : api.POST('/api/programs/{id}/pause', { params: { path: { id }, query: { until: until ?? undefined } } }),
      ),
    onSuccess: (_, { on, until }) => {
      queries.invalidateQueries({ queryKey: ['program', id] });
      said(
        on
          ? phrase('“{name}” goes on', { name: draft.name })
          : phrase('“{name}” rests{until}', { name: draft.name, until: until ? phrase(' until {until}', { until: keyDate(until) }) : '' }),
        () =>
          take(
            on
              ? api.POST('/api/programs/{id}/pause', { params: { path: { id } } })
              : api.POST('/api/programs/{id}/resume', { params: { path: { id } } }),
          ).then(() => queries.invalidateQueries({ queryKey: ['program', id] })),
      );
    },
    onError: (e) => toast.error(e.message),
  });

  const set = (part: Partial<ProgramFile>) => change((before) => ({ ...before, ...part }));
  const setSteps = (change_: (steps: Step[]) => Step[]) => change((before) => ({ ...before, steps: change_(before.steps) }));
  const at = draft.steps.findIndex((s) => s.id === picked);
  const others = [...new Set([...(programs.data?.map((p) => p.name) ?? []), draft.name])];

  /** Adds a step of a kind where `place` puts it, and goes on with it. */
  function add(kind: Step['kind'], place: (steps: Step[], step: Step) => Step[]) {
    const blank = newStep(kind, draft.steps, []);
    const step = newStep(kind, draft.steps, stepsBefore(place(draft.steps, blank), blank.id));
    setSteps((steps) => place(steps, step));
    setPicked(step.id);
    setWriting(kind === 'email' ? step.id : undefined);
  }
  /** What an act on a step concerns: all that are picked together, where it is one of them; else the step alone. */
  const together = (step: string | undefined): ReadonlySet<string> => (step === undefined || marked.has(step) ? marked : new Set([step]));
  function remove(some: ReadonlySet<string>) {
    const gone = allSteps(pickedOf(draft.steps, some)).length;
    setSteps((steps) => without(steps, some));
    setPicked(undefined);
    setMarked(new Set());
    setWriting(undefined);
    if (gone > 0)
      toast(phrase('{gone, plural, one {# step is} other {# steps are}} taken out.', { gone }), {
        action: { label: phrase('Undo'), onClick: undo },
      });
  }
  function mark(step: string) {
    const next = new Set(marked);
    if (!next.delete(step)) next.add(step);
    setMarked(next);
  }
  function putIn(copied: Step[]) {
    let made: string[] = [];
    setSteps((steps) => {
      const pasted = paste(steps, picked, copied);
      made = pasted.ids;
      return pasted.steps;
    });
    setPicked(made[0]);
    setMarked(new Set(made.length > 1 ? made : []));
    toast(phrase('{made, plural, one {# step is} other {# steps are}} put in.', { made: made.length }), {
      action: { label: phrase('Undo'), onClick: undo },
    });
  }
  // What is open to be written would write over what comes back.
  const undo = () => {
    setWriting(undefined);
    return travel.undo();
  };
  const redo = () => {
    setWriting(undefined);
    return travel.redo();
  };
  const chosen = () => pickedOf(draft.steps, marked.size > 0 ? marked : new Set(picked ? [picked] : []));
  useStepClipboard({ program: draft.name, picked: chosen, cut: () => remove(new Set(chosen().map((s) => s.id))), paste: putIn });
  const walkTo = (by: number) => {
    const order = allSteps(draft.steps);
    const next = order[Math.min(order.length - 1, Math.max(0, order.findIndex((s) => s.id === picked) + by))];
    if (next) setPicked(next.id);
  };
  useKeys({
    n: () => setAdding(true),
    c: runCheck,
    '[': () => another(-1),
    ']': () => another(1),
    j: () => walkTo(1),
    k: () => walkTo(-1),
    x: () => picked && mark(picked),
  });
  useProgramKeys({ undo, redo, move: (way) => picked && setSteps((steps) => shift(steps, picked, way)) });

  const status =
    loaded.status === 'draft'
      ? phrase('being written · {length, plural, one {# step} other {# steps}}', { length: allSteps(draft.steps).length })
      : phrase(
          '{status} since {onSince} · version {version, number} · {onIt, number} on it, {stopped, number} stopped, {through, number} through',
          {
            status:
              loaded.status === 'paused'
                ? phrase('paused{pausedUntil}, on', {
                    pausedUntil: loaded.pausedUntil
                      ? phrase(' until {pausedUntil}', { pausedUntil: day(loaded.pausedUntil, zone, now) })
                      : '',
                  })
                : codeWord(loaded.status),
            onSince: loaded.onSince ? day(loaded.onSince, zone, now) : '',
            version: loaded.version,
            onIt: loaded.onIt,
            stopped: loaded.stopped,
            through: loaded.through,
          },
        );
  const fieldTrouble = error?.fields['/name']?.[0];
  const at_ = (pointer: string) => findings.filter((f) => f.pointer === pointer || f.pointer.startsWith(`${pointer}/`));
  const errors = findings.filter((f) => !f.isWarning);
  const pen: Pen = {
    steps: draft.steps,
    id,
    deeds: new Map(deeds.data?.map((d) => [d.stepId, d])),
    marked,
    mark,
    program: loaded.status === 'draft' ? undefined : draft.name,
    person: preview.data?.person.name,
    personId: preview.data?.person.id,
    dates: new Map(preview.data?.touches.map((t) => [t.stepId, t.at])),
    zone: preview.data?.zone ?? zone,
    now,
    days: daysOf(line, preview.data),
    picked,
    pick: setPicked,
    writing,
    write: setWriting,
    findingsAt: at_,
    occasion: draft.startsWhen.some((t) => t.kind === 'occasion' || t.kind === 'appointment'),
    programs: others,
    set: (step) => setSteps((steps) => replaceStep(steps, step)),
    move: (step, way) => setSteps((steps) => shift(steps, step, way)),
    remove: (step) => remove(together(step)),
    addAfter: (after, kind) => add(kind, (steps, step) => addAfter(steps, after, step)),
    copy: (step, every, times) => setSteps((steps) => copyStep(steps, step, every, times)),
    addInto: (owner, place, kind) => add(kind, (steps, step) => addInto(steps, owner, place, step)),
  };

  return (
    <DayPage
      marginTitle={phrase('For one person')}
      margin={
        <Margin
          id={id}
          loaded={loaded}
          draft={draft}
          change={change}
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
          pause={(on, until) => paused.mutateAsync({ on, until: until ?? null })}
        />
      }
    >
      <div className="px-[34px] pt-5 max-[699px]:px-4">
        <h1 className="sr-only">{draft.name}</h1>
        <div className="flex flex-wrap items-baseline justify-between gap-x-6">
          <input
            aria-label={phrase('Name of the program')}
            className="[field-sizing:content] max-w-full !border-0 !bg-transparent !p-0 font-serif !text-[32px] font-medium tracking-tight"
            value={draft.name}
            onChange={(e) => set({ name: e.target.value })}
          />
          <span className="text-small text-soft">
            {status}{' '}
            <span aria-live="polite">
              · {saved === 'saved' ? phrase('saved') : saved === 'saving' ? phrase('saving …') : error ? phrase('not saved') : '…'}
            </span>
            {(travel.mayUndo || travel.mayRedo) && (
              <>
                {' · '}
                <Button look="plain" className="min-h-6" disabled={!travel.mayUndo} onClick={undo} title={phrase('Ctrl Z')}>
                  {phrase('take back')}
                </Button>{' '}
                <Button look="plain" className="min-h-6" disabled={!travel.mayRedo} onClick={redo} title={phrase('Ctrl Shift Z')}>
                  {phrase('do again')}
                </Button>
              </>
            )}
          </span>
        </div>
        {fieldTrouble && (
          <p className="text-small text-ember" role="alert">
            {fieldTrouble}
          </p>
        )}
        {unsaved && (
          <div role="alert" className="my-2 border-l-[3px] border-straw bg-straw-pale px-3 py-2 text-small text-ink">
            <Sentence
              m="You wrote something here that was never saved, and the program has been changed since. <button>Use what I wrote</button><button2>Throw it away</button2>"
              v={{
                button: (c) => (
                  <Button className="mx-3" onClick={() => settleUnsaved(true)}>
                    {c}
                  </Button>
                ),
                button2: (c) => (
                  <Button look="danger" onClick={() => settleUnsaved(false)}>
                    {c}
                  </Button>
                ),
              }}
            />
          </div>
        )}
        {error && !fieldTrouble && (
          <Trouble error={error}>
            {error.status === 409 && (
              <Button look="plain" className="ml-3 underline" onClick={reload}>
                {phrase('load their version')}
              </Button>
            )}
          </Trouble>
        )}
        <div className="mt-2">
          <TouchLine marks={weighed(line, pen.deeds)} />
        </div>
        <p className="border-b border-rule pt-2.5 pb-3 font-serif text-[17px] leading-normal">
          <Sentence
            m="Starts when {sayList}{length, select, true {, if they } other {, for }}{sayRules}. Writes on {draft}. The same person {draft2}. {about}"
            v={{
              sayList: (
                <SayList
                  items={draft.startsWhen}
                  say={sayStart}
                  word={phrase('or')}
                  label={phrase('Starts when')}
                  none={phrase('choose what starts it')}
                  more={phrase('or by something else')}
                  set={(startsWhen) => set({ startsWhen })}
                  form={(item, done) => <TriggerForm item={item} done={done} />}
                />
              ),
              length: String(partsOf(draft.onlyIf).length > 0),
              sayRules: (
                <SayRules rule={draft.onlyIf} label={phrase('Only if they')} none={phrase('everybody')} set={(onlyIf) => set({ onlyIf })} />
              ),
              draft: (
                <Say words={sayWindow(draft)} label={phrase('Window: {draft}', { draft: sayWindow(draft) })}>
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
              ),
              draft2: (
                <Say words={sayAgain(draft)} label={phrase('Again: {draft}', { draft: sayAgain(draft) })}>
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
              ),
              about: <About draft={draft} set={set} />,
            }}
          />
        </p>
        <Findings findings={[...at_('/startsWhen'), ...findings.filter((f) => ['/steps', '/policy', '/topic'].includes(f.pointer))]} />
      </div>

      <PenContext value={pen}>
        <StepDrag
          taken={(step) => pickedOf(draft.steps, together(step))}
          move={(step, place) => setSteps((steps) => moveTo(steps, together(step), place))}
        >
          <StepList steps={draft.steps} pointer="/steps" />
        </StepDrag>
      </PenContext>

      {marked.size > 0 && (
        <div
          role="toolbar"
          aria-label={phrase('Steps picked together')}
          className="sticky bottom-0 z-20 flex flex-wrap justify-end gap-x-5 border-y border-rule bg-sheet px-[34px] py-2 text-small max-[699px]:px-4"
        >
          <b className="inline-flex min-h-6 items-center font-semibold">
            {phrase('{marked, plural, one {# step} other {# steps}} picked', { marked: marked.size })}
          </b>
          <Button className="min-h-6" onClick={() => document.execCommand('copy')}>
            <Sentence m="Copy {kbd}" v={{ kbd: <kbd>Ctrl C</kbd> }} />
          </Button>
          <Button className="min-h-6" onClick={() => document.execCommand('cut')}>
            <Sentence m="Cut {kbd}" v={{ kbd: <kbd>Ctrl X</kbd> }} />
          </Button>
          <Button className="min-h-6" look="danger" onClick={() => remove(marked)}>
            {phrase('Take them out')}
          </Button>
          <Button className="min-h-6" look="plain" onClick={() => setMarked(new Set())}>
            {phrase('none')}
          </Button>
        </div>
      )}

      <div className="px-[34px] pb-10 max-[699px]:px-4">
        <AddStep open={adding} setOpen={setAdding} add={(kind) => add(kind, (steps, step) => addAfter(steps, picked, step))}>
          <Sentence
            m="+ a step {picked, select, true {after this one} other {here}} {kbd}"
            v={{ picked: String(picked !== undefined && at !== draft.steps.length - 1), kbd: <kbd>N</kbd> }}
          />
        </AddStep>
        <PasteSteps paste={putIn} />
        <p className="border-t border-rule pt-3 font-serif text-[17px] leading-normal">
          <Sentence
            m="{stops, select, true {Stops when they {what}.} other {Goes on to its end, {what}.}}"
            v={{
              stops: String(draft.stopsWhen.length > 0),
              what: (
                <SayList
                  items={draft.stopsWhen}
                  say={sayStop}
                  word={phrase('or')}
                  label={phrase('Stops when they')}
                  none={phrase('whatever they do')}
                  more={phrase('or something else')}
                  set={(stopsWhen) => set({ stopsWhen })}
                  form={(item, done) => <StopForm item={item} done={done} />}
                />
              ),
            }}
          />
        </p>
      </div>
    </DayPage>
  );
}

/** Puts steps in that were copied here or in another program; Ctrl V does the same. */
function PasteSteps({ paste: put }: { paste: (steps: Step[]) => void }) {
  const copied = copiedSteps();
  const steps = copied === undefined ? copied : stepsIn(copied);
  if (!Array.isArray(steps) || copied === undefined) return null;
  return (
    <Button look="plain" className="ml-5 min-h-6" onClick={() => pasteText(copied, put)}>
      <Sentence
        m="put in the {length, plural, one {# step} other {# steps}} that {length, plural, one {was} other {were}} copied {kbd}"
        v={{ length: allSteps(steps).length, kbd: <kbd>Ctrl V</kbd> }}
      />
    </Button>
  );
}

/** Taking back, doing again and moving by key; while somebody writes, the keys are the field's own. */
function useProgramKeys(acts: { undo: () => boolean; redo: () => boolean; move: (way: 'up' | 'down' | 'in' | 'out') => void }) {
  const latest = useRef(acts);
  latest.current = acts;
  useEffect(() => {
    const ways = { ArrowUp: 'up', ArrowDown: 'down', ArrowRight: 'in', ArrowLeft: 'out' } as const;
    // Before the page's own taking back, which knows nothing of the draft.
    const press = (event: KeyboardEvent) => {
      if (typing(event.target)) return;
      const key = event.key.toLowerCase();
      const way = ways[event.key as keyof typeof ways];
      if (event.altKey && way) {
        event.preventDefault();
        latest.current.move(way);
      } else if ((event.ctrlKey || event.metaKey) && (key === 'z' || key === 'y')) {
        const done = key === 'y' || event.shiftKey ? latest.current.redo() : latest.current.undo();
        if (done) event.preventDefault();
      }
    };
    window.addEventListener('keydown', press, true);
    return () => window.removeEventListener('keydown', press, true);
  }, []);
}

/** The marks of the line, heavier where more were reached. */
function weighed(line: Schemas['TouchMarkDto'][], deeds: Pen['deeds']) {
  const most = Math.max(0, ...[...deeds.values()].map((d) => d.reached));
  if (most === 0) return line;
  return line.map((mark) => {
    const reached = deeds.get(mark.stepId)?.reached ?? 0;
    return { ...mark, weight: reached / most, title: phrase('{reached, number} reached', { reached }) };
  });
}

/**
 * The day each step falls on, counted from the start: as the person in the margin has it, so that day and date agree; for steps that
 * they do not come by, as it is written.
 */
function daysOf(line: Schemas['TouchMarkDto'][], preview: Schemas['PreviewDto'] | undefined) {
  const days = new Map(line.map((mark) => [mark.stepId, mark.day]));
  for (const touch of preview?.touches ?? [])
    days.set(touch.stepId, daysBetween(preview?.from ?? touch.at, touch.at, preview?.zone ?? 'UTC'));
  return days;
}

/** What stands beside a line of the page; the rest is said in the margin only. */
const hasLine = (f: Schemas['FindingDto']) => /^\/(startsWhen|steps)/.test(f.pointer);

type MarginProps = {
  id: string;
  loaded: Schemas['ProgramDto'];
  draft: ProgramFile;
  change: (next: ProgramFile) => void;
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
  pause: (on: boolean, until?: string | null) => Promise<unknown>;
};

/** The page for one real person: the dates, the message as they would read it, and what holds people back. */
function Margin({
  id,
  loaded,
  draft,
  change,
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
  const maySwitch = useMay('switch-programs');
  const seesJournal = useMay('see-journal');
  const [starting, setStarting] = useState(false);
  const touch = preview?.touches.find((t) => t.stepId === picked);
  const step = allSteps(draft.steps).find((s) => s.id === picked);
  return (
    <>
      {preview && (
        <>
          <div className="flex items-baseline justify-between gap-2">
            <h3>{phrase('As {person} gets it', { person: preview.person.name })}</h3>
            <span className="whitespace-nowrap">
              <button type="button" aria-label={phrase('The person before')} onClick={() => another(-1)}>
                <kbd>[</kbd>
              </button>{' '}
              <button type="button" aria-label={phrase('The next person')} onClick={() => another(1)}>
                <kbd>]</kbd>
              </button>{' '}
              {phrase('another')}
            </span>
          </div>
          {preview.notStarting ? (
            <p className="text-straw">{phrase('It would not start for them now: {notStarting}.', { notStarting: preview.notStarting })}</p>
          ) : (
            <p>
              {touch
                ? `${touch.outcome === 'skipped' ? phrase('Would be left out: {reason}.', { reason: touch.reason }) : phrase('{at}, their time.', { at: moment(touch.at, preview.zone, now) })}`
                : draft.steps.length === 0
                  ? phrase('Nothing yet: the program has no steps.')
                  : ''}
              {preview.assumed && phrase(' With {assumed}, as they have none.', { assumed: preview.assumed })}
            </p>
          )}
          {preview.letter && step?.kind === 'email' && preview.letter.stepId === picked && (
            <div className="mt-2 mb-3.5 border border-rule bg-sheet px-4 py-3.5">
              <div className="mb-2 border-b border-rule pb-1.5 text-[12px]">
                <Sentence
                  m="{touch}from {from}"
                  v={{ touch: touch && `${moment(touch.at, preview.zone, now)} · `, from: preview.letter.from }}
                />
              </div>
              <div className="mb-1.5 font-serif text-base font-semibold text-ink">{preview.letter.subject}</div>
              <Letter html={preview.letter.html} title={phrase('The letter')} />
              {preview.letter.lack && <p className="text-ember">{phrase('It cannot be filled: {lack}.', { lack: preview.letter.lack })}</p>}
              <ReadAs letter={preview.letter} person={preview.person.name} another={another} />
            </div>
          )}
        </>
      )}
      {preview?.price != null && (
        <p>
          {phrase('Its messages cost {price} for {person}.', {
            price: money(preview.price, preview.currency),
            person: preview.person.name,
          })}
        </p>
      )}
      <h3 className="mt-3">{phrase('What holds it back')}</h3>
      {check ? (
        <>
          {check.findings
            .filter((f) => !hasLine(f))
            .map((f) => (
              <p key={f.pointer + f.message} className={f.isWarning ? 'text-straw' : 'text-ember'}>
                {f.message}
              </p>
            ))}
          {check.findings.some(hasLine) && (
            <p className="text-straw">
              {phrase('{length, plural, one {# thing stands} other {# things stand}} beside its line.', {
                length: check.findings.filter(hasLine).length,
              })}
            </p>
          )}
          {check.audience.length === 0 && check.findings.length === 0 && <p>{phrase('Nothing.')}</p>}
          {check.audience.map((a) => (
            <p key={a.pointer + a.text} className="mt-1">
              <b className="font-semibold text-ember">
                {phrase('{text} for {count, plural, one {# person} other {# people}}', { text: a.text, count: a.count })}
              </b>
              {': '}
              {a.people.map((p, i) => (
                <span key={p.id}>
                  {i > 0 && ', '}
                  <Link to={`/people/${p.id}?edit=`}>{p.name}</Link>
                </span>
              ))}
              {a.count > a.people.length && phrase(' and {count, number} more', { count: a.count - a.people.length })}
            </p>
          ))}
          <p className="mt-1">
            {check.anybody
              ? phrase(
                  'Nobody has what starts it yet; looked at the {lookedAt, plural, one {# person} other {# people}} it could start for.',
                  { lookedAt: check.lookedAt },
                )
              : phrase('Looked at the {lookedAt, plural, one {# person} other {# people}} it can start for.', { lookedAt: check.lookedAt })}
          </p>
        </>
      ) : (
        <p>
          {errors > 0
            ? phrase('{errors, plural, one {# thing has} other {# things have}} to be put right first.', { errors })
            : phrase('Check looks at everybody it could start for.')}
        </p>
      )}
      <div className="mt-4 flex flex-wrap items-center gap-x-5 gap-y-2">
        {maySwitch && (loaded.status === 'draft' || changed) && (
          <SwitchOn id={id} draftNumber={number} published={loaded.status !== 'draft'} disabled={errors > 0} ready={ready} />
        )}
        <Button onClick={runCheck} disabled={checking}>
          {checking ? phrase('Checking …') : phrase('Check')} <kbd>C</kbd>
        </Button>
        {maySwitch && loaded.status === 'on' && (
          <PauseButton
            words={phrase('Pause')}
            what={phrase('Nothing of it goes and nobody starts it while it rests; what falls due meanwhile is judged when it goes on.')}
            pause={(until) => pause(false, until)}
          />
        )}
        {maySwitch && loaded.status === 'paused' && <Button onClick={() => pause(true)}>{phrase('Let it go on')}</Button>}
      </div>
      {loaded.status === 'on' &&
        (starting ? (
          <StartPeople id={id} close={() => setStarting(false)} />
        ) : (
          <p className="mt-3">
            <Button onClick={() => setStarting(true)}>{phrase('Start it for people …')}</Button>
          </p>
        ))}
      <p className="mt-3 flex flex-wrap gap-x-5">
        <Link to={`/programs/${id}/walk`} className="inline-flex min-h-6 items-center">
          {phrase('Walk it through')}
        </Link>
        <Link to={`/programs/${id}/rehearse`} className="inline-flex min-h-6 items-center">
          {phrase('Rehearse it over everybody')}
        </Link>
        {loaded.version > 0 && (
          <Link to={`/programs/${id}/results`} className="inline-flex min-h-6 items-center">
            {phrase('What it did')}
          </Link>
        )}
        {(loaded.status !== 'on' || changed) && (
          <Link to={`/almanac?whatIf=${id}`} className="inline-flex min-h-6 items-center">
            {phrase('See it in the almanac')}
          </Link>
        )}
        {seesJournal && (
          <Link to={`/journal?program=${id}`} className="inline-flex min-h-6 items-center">
            {phrase('Who did what to it')}
          </Link>
        )}
      </p>
      <Needs draft={draft} change={change} />
      <BeforeItGoes id={id} loaded={loaded} draft={draft} number={number} changed={changed} ready={ready} />
      <KeptWalks id={id} number={number} />
      <AsAFile id={id} />
      <Standing id={id} name={draft.name} loaded={loaded} />
      <OnTheirWay id={id} onIt={loaded.onIt} zone={zone} steps={draft.steps} mayStop={maySwitch} />
      {!maySwitch && <p className="mt-2 text-soft">{phrase('Whoever may switch programs on finds this one here as you leave it.')}</p>}
      {errors > 0 && (loaded.status === 'draft' || changed) && (
        <p className="mt-2 text-ember">{phrase('It cannot be switched on yet; what is wrong stands beside each line.')}</p>
      )}
    </>
  );
}

/** Whether the kept walks go as they went; each is walked again once the draft is saved. */
function KeptWalks({ id, number }: { id: string; number: number }) {
  const kept = useQuery({
    queryKey: ['program', id, 'walks', number],
    queryFn: () => take(api.GET('/api/programs/{id}/walks', { params: { path: { id } } })),
    placeholderData: (before) => before,
  });
  if (!kept.data || kept.data.length === 0) return null;
  const otherwise = kept.data.filter((k) => k.differences.length > 0).length;
  return (
    <p>
      <Link to={`/programs/${id}/walk`} className={`inline-flex min-h-6 items-center ${otherwise > 0 ? '!text-ember' : ''}`}>
        {otherwise > 0
          ? phrase('{otherwise, plural, one {# kept walk goes otherwise} other {# kept walks go otherwise}}', { otherwise })
          : phrase('{data, plural, one {# kept walk goes as it went} other {# kept walks go as they went}}', { data: kept.data.length })}
      </Link>
    </p>
  );
}

/** The program once more, and as a file that here or elsewhere can be taken in again. */
function AsAFile({ id }: { id: string }) {
  const go = useNavigate();
  const queries = useQueryClient();
  const copy = useMutation({
    mutationFn: () => take(api.POST('/api/programs/{id}/copy', { params: { path: { id } } })),
    onSuccess: (made) => {
      queries.invalidateQueries({ queryKey: ['programs'] });
      if (made.id) go(`/programs/${made.id}`);
    },
  });
  return (
    <p className="mt-3 flex flex-wrap gap-x-5">
      <Button onClick={() => copy.mutate()} disabled={copy.isPending}>
        {phrase('Copy it')}
      </Button>
      <a href={`/api/programs/${id}/file`} download className="inline-flex min-h-6 items-center no-underline hover:underline">
        {phrase('as a file')}
      </a>
      <Trouble error={copy.error} />
    </p>
  );
}
