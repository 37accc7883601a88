import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Fragment, useEffect, useMemo, useState } from 'react';
import { Link, useNavigate } from 'react-router';
import { toast } from 'sonner';
import { api, type Schemas, take } from '../../api/client';
import { useSession } from '../../app/session';
import { Button, Empty, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead, Stretch } from '../../ui/DayPage';
import { useKept } from '../../ui/kept';
import { useKeys } from '../../ui/keys';
import { StepMark } from '../../ui/TouchLine';
import { said } from '../../ui/undo';
import { dayName, daysBetween, longDay, moment, nearDay, time } from '../../ui/when';
import { codeWord } from '../../words/codes';
import { phrase, quoted } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { BeginningLine } from '../beginning/BeginningLine';
import { EndLine } from '../house/EndLine';
import { saidDropped } from '../people/acts';
import { copyWords } from '../posts/PostActs';
import { reopenTask } from '../tasks/acts';
import { TouchMargin } from '../touches/TouchMargin';
import { CallMargin } from './CallMargin';
import { CallRow } from './CallRow';
import { endingsOf, nameOf } from './callEndings';
import { MorningHour } from './MorningHour';
import { NotSwitchedOn } from './NotSwitchedOn';
import { type Marked, moveCall, sheetActs } from './sheetActs';

/** Calls that have stood for more days than this are folded where there are more than so many of them. */
const overTime = 5;
const foldedFrom = 3;

/** So many kinds of letters stand on the sheet at first, so that what waits for the member is not far down. */
const groupsAtFirst = 8;

type Day = Schemas['TodayDto'];
type Call = Schemas['CallDto'];
type Going = Schemas['GoingDto'];
type Item = { key: string; touchId?: string; personId: string; call?: Call; going?: Going };

/** The outcome that was chosen while a remark may still be typed. */
type Ending = { key: string; outcome: string };

const markedOf = (row: Going): Marked => ({
  touchId: row.touchId,
  personId: row.person.id,
  name: row.person.name,
  what: quoted(row.subject),
});

const providerNames: Record<string, string> = {
  'mail-out': phrase('Mail does not go out'),
  'mail-in': phrase('The mailbox cannot be read'),
  texts: phrase('Texts do not go out'),
};

/** The day sheet: calls, going out, waiting for you, needs mending; each done without leaving the page. */
export function Today() {
  // A member's id; empty for everybody's.
  const [whose, setWhose] = useKept('today.whose', '');
  const today = useQuery({
    queryKey: ['today', whose],
    queryFn: () => take(api.GET('/api/today', { params: { query: { member: whose || undefined } } })),
    placeholderData: (before) => before,
  });
  if (today.isPending) return <Loading what={phrase('Opening the day sheet')} />;
  // What was read before stands there while nobody answers.
  if (!today.data) {
    return (
      <DayPage marginTitle={phrase('Why')} margin={null}>
        <PageHead title={phrase('Today')} />
        <div className="px-7">
          <Trouble error={today.error} />
        </div>
      </DayPage>
    );
  }
  return <Sheet day={today.data} whose={whose} setWhose={setWhose} />;
}

function Sheet({ day, whose, setWhose }: { day: Day; whose: string; setWhose: (whose: string) => void }) {
  const queries = useQueryClient();
  const go = useNavigate();
  const { now, zone } = day;
  const allGroups = useMemo(() => grouped(day.going, day.goingCounts), [day.going, day.goingCounts]);
  const [wide, setWide] = useState(false);
  const groups = wide ? allGroups : allGroups.slice(0, groupsAtFirst);
  const [opened, setOpened] = useState<Set<string>>(new Set());
  const [ending, setEnding] = useState<Ending>();
  const [moving, setMoving] = useState<string>();
  // Those that have stood long over their time are folded, so that the day's own stand at the top.
  const [allCalls, setAllCalls] = useState(false);
  const old = day.calls.filter((c) => daysBetween(c.due, now, zone) > overTime);
  const folds = !allCalls && old.length > foldedFrom && old.length < day.calls.length;
  const calls = folds ? day.calls.filter((c) => !old.includes(c)) : day.calls;

  const items: Item[] = useMemo(
    () => [
      ...calls.map((c) => ({ key: c.touchId, touchId: c.ownTask ? undefined : c.touchId, personId: c.person?.id ?? '', call: c })),
      ...groups.flatMap((g) =>
        g.rows.length > 3 && !opened.has(g.key)
          ? []
          : g.rows.map((r) => ({ key: r.touchId, touchId: r.touchId, personId: r.person.id, going: r })),
      ),
      ...day.waiting.map((w) => ({ key: w.id, personId: w.person?.id ?? '' })),
      ...day.mending.map((m) => ({
        key: m.touchId,
        touchId: m.status === 'set-aside' ? undefined : m.touchId,
        personId: m.person.id,
      })),
    ],
    [day, groups, opened, calls],
  );
  const [picked, setPicked] = useState<string | undefined>(items[0]?.key);
  const item = items.find((i) => i.key === picked) ?? items[0];

  useEffect(() => {
    if (item && item.key !== picked) setPicked(item.key);
  }, [item, picked]);

  const refresh = () => {
    queries.invalidateQueries({ queryKey: ['today'] });
    queries.invalidateQueries({ queryKey: ['touch'] });
  };
  // What is done is shown at once, and as it was again where the server says no.
  const show = (change: (before: Day) => Day) => {
    queries.cancelQueries({ queryKey: ['today'] });
    queries.setQueryData<Day>(['today', whose], (before) => before && change(before));
  };
  /** What leaves the sheet hands the focus to the line after it, so that one can go through the sheet by key. */
  const goOnFrom = (key: string) => {
    const at = items.findIndex((i) => i.key === key);
    const next = items[at + 1] ?? items[at - 1];
    setPicked(next?.key);
    requestAnimationFrame(() => focusOn(next?.key));
  };
  const failed = (e: Error) => {
    toast.error(e.message);
    refresh();
  };
  const done = useMutation({
    ...sheetActs.done,
    onMutate: ({ call }) => {
      setEnding(undefined);
      goOnFrom(call.touchId);
      show((d) => ({ ...d, calls: d.calls.filter((c) => c.touchId !== call.touchId), callsInAll: d.callsInAll - 1 }));
    },
    onSuccess: (_, { call, outcome }) => {
      refresh();
      const path = { params: { path: { id: call.touchId } } };
      said(`${nameOf(call)}: ${outcome}`, () =>
        (call.ownTask ? reopenTask(call.touchId) : take(api.POST('/api/touches/{id}/undo', path))).then(refresh),
      );
    },
    onError: failed,
  });
  const move = useMutation({
    ...sheetActs.move,
    onMutate: ({ call }) => {
      setMoving(undefined);
      goOnFrom(call.touchId);
      show((d) => ({ ...d, calls: d.calls.filter((c) => c.touchId !== call.touchId), callsInAll: d.callsInAll - 1 }));
    },
    onSuccess: ({ before }, { call, to }) => {
      refresh();
      said(phrase('{call} stands on {to}', { call: nameOf(call), to: dayName(to) }), () => moveCall(call, before ?? null).then(refresh));
    },
    onError: failed,
  });
  const mark = useMutation({
    ...sheetActs.mark,
    onMutate: ({ row, how }) => {
      if (how === 'drop') goOnFrom(row.touchId);
      show((d) => ({
        ...d,
        going:
          how === 'drop'
            ? d.going.filter((g) => g.touchId !== row.touchId)
            : d.going.map((g) => (g.touchId === row.touchId ? { ...g, held: how === 'hold' } : g)),
        mending: how === 'drop' ? d.mending.filter((m) => m.touchId !== row.touchId) : d.mending,
      }));
    },
    onSuccess: (done, { row, how }) => {
      refresh();
      if (how === 'drop') saidDropped(phrase('{what} to {row}', { what: row.what, row: row.name }), row.personId, done, queries);
    },
    onError: failed,
  });
  const nameIn = (id: string) => day.waiting.find((w) => w.id === id)?.person?.name ?? phrase('It');
  const saysSeen = (id: string) => `${nameIn(id)}: ${id.startsWith('i') ? phrase('answered') : phrase('seen to')}`;
  const seen = useMutation({
    ...sheetActs.seen,
    meta: { says: saysSeen },
    // Named before it leaves the page.
    onMutate: (id) => {
      const words = saysSeen(id);
      goOnFrom(id);
      show((d) => ({ ...d, waiting: d.waiting.filter((w) => w.id !== id) }));
      return words;
    },
    onSuccess: (_, id, words) => {
      refresh();
      said(words, () => take(api.POST('/api/today/waiting/{id}/unseen', { params: { path: { id } } })).then(refresh));
    },
    onError: failed,
  });
  const belongs = useMutation({
    meta: { says: () => phrase('whose an answer is') },
    mutationFn: ({ id, person }: { id: string; person: string }) =>
      take(api.POST('/api/today/waiting/{id}/belongs', { params: { path: { id } }, body: { person } })),
    onSuccess: () => {
      toast(phrase('Kept with them as their answer.'));
      refresh();
    },
    onError: (e) => toast.error(e.message),
  });
  const decide = useMutation({
    meta: { says: ({ how }: { how: string }) => (how === 'again' ? phrase('one to be tried again') : phrase('whether a message arrived')) },
    mutationFn: ({ id, how }: { id: string; how: 'arrived' | 'not-arrived' | 'again' }) => {
      const params = { params: { path: { id } } };
      return take(
        how === 'arrived'
          ? api.POST('/api/touches/{id}/arrived', params)
          : how === 'not-arrived'
            ? api.POST('/api/touches/{id}/not-arrived', params)
            : api.POST('/api/today/set-aside/{id}/again', params),
      );
    },
    onSuccess: refresh,
    onError: (e) => toast.error(e.message),
  });

  const posted = useMutation({
    meta: { says: (notes: Call[]) => phrase('{notes, plural, one {# note} other {# notes}} written and posted', { notes: notes.length }) },
    mutationFn: async (notes: Call[]) => {
      for (const n of notes)
        await take(
          api.POST('/api/touches/{id}/done', {
            params: { path: { id: n.touchId } },
            body: { outcome: 'posted', remark: null, next: null },
          }),
        );
    },
    onSuccess: (_, notes) => {
      refresh();
      said(phrase('{notes, plural, one {# note} other {# notes}} written and posted', { notes: notes.length }), async () => {
        for (const n of notes) await take(api.POST('/api/touches/{id}/undo', { params: { path: { id: n.touchId } } }));
        refresh();
      });
    },
    onError: failed,
  });
  const holdAll = useMutation({
    meta: {
      says: ({ group, hold }: { group: Group; hold: boolean }) =>
        phrase('“{pattern}” {hold, select, true {held} other {let go again}} for all', { pattern: group.pattern, hold: String(hold) }),
    },
    mutationFn: ({ group, hold }: { group: Group; hold: boolean }) => {
      const first = group.rows[0] as Going;
      return take(api.POST('/api/today/hold', { body: { program: first.programId, step: first.stepId, isToday: first.isToday, hold } }));
    },
    onSuccess: ({ count: n }, { group, hold }) => {
      refresh();
      said(
        phrase('{n, plural, one {# letter} other {# letters}} “{pattern}” {hold, select, true {held} other {let go again}}', {
          n,
          pattern: group.pattern,
          hold: String(hold),
        }),
        () => holdAll.mutateAsync({ group, hold: !hold }),
      );
    },
    onError: failed,
  });

  const step = (by: number) => {
    const at = items.findIndex((i) => i.key === item?.key);
    const next = items[Math.min(Math.max(at + by, 0), items.length - 1)];
    if (next) {
      setPicked(next.key);
      focusOn(next.key);
    }
  };
  useKeys({
    j: () => step(1),
    k: () => step(-1),
    ArrowDown: () => step(1),
    ArrowUp: () => step(-1),
    Enter: () => item?.personId && go(`/people/${item.personId}`),
    h: () => item?.going && mark.mutate({ row: markedOf(item.going), how: item.going.held ? 'release' : 'hold' }),
    d: () => item?.going && mark.mutate({ row: markedOf(item.going), how: 'drop' }),
    m: () => item?.call && setMoving(item.key),
    c: () => item?.call?.post && copyWords(item.call.post.words),
    ...Object.fromEntries(
      Array.from({ length: 9 }, (_, i) => [
        String(i + 1),
        () => {
          const outcome = item?.call && endingsOf(item.call, day.outcomes)[i];
          if (item?.call && outcome) setEnding({ key: item.key, outcome });
        },
      ]),
    ),
  });

  const notes = day.calls.filter((c) => c.kind === 'note' && !c.ownTask);
  const summary = [
    phrase('{callsInAll, plural, one {# thing to do} other {# things to do}}', { callsInAll: day.callsInAll }),
    phrase('{goingToday, plural, one {# message goes} other {# messages go}} out', { goingToday: day.goingToday }),
    day.waitingInAll > 0 &&
      phrase('{waitingInAll, number} {waitingInAll, plural, one {waits} other {wait}} for you', { waitingInAll: day.waitingInAll }),
    day.mendingInAll > 0 && phrase('{mendingInAll, number} to mend', { mendingInAll: day.mendingInAll }),
  ].filter(Boolean);

  return (
    <DayPage
      marginTitle={phrase('Why')}
      margin={
        item?.touchId ? (
          <>
            {item.call && <CallMargin personId={item.personId} />}
            <TouchMargin touchId={item.touchId} personId={item.personId} />
          </>
        ) : item?.call?.person ? (
          <CallMargin personId={item.personId} />
        ) : (
          <Idle empty={items.length === 0} />
        )
      }
    >
      <PageHead
        title={longDay(now, zone)}
        aside={
          <>
            {summary.join(' · ')}
            <Whose whose={whose} set={setWhose} />
            <span className="ml-4">
              <Sentence
                m="print on {value}"
                v={{
                  value: ['A4', 'Letter'].map((paper, i) => (
                    <span key={paper}>
                      {i > 0 && ' · '}
                      <a
                        href={`/api/today/sheet.pdf?paper=${paper.toLowerCase()}${whose ? `&member=${whose}` : ''}`}
                        download
                        aria-label={phrase('Print on {paper}', { paper })}
                      >
                        {paper}
                      </a>
                    </span>
                  )),
                }}
              />
            </span>
          </>
        }
      />

      <EndLine />
      <BeginningLine />
      {day.providers.map((p) => (
        <div key={p.name} role="alert" className="mx-7 mb-3 border-l-[3px] border-ember bg-ember-pale px-4 py-2.5 text-small">
          <Sentence
            m="{b} since {since}. {trouble} What is due waits and goes by itself when this is over."
            v={{
              b: <b className="font-semibold">{providerNames[p.name] ?? p.name}</b>,
              since: moment(p.since, zone, now),
              trouble: p.trouble,
            }}
          />
        </div>
      ))}
      <Stretch
        title={phrase('Calls')}
        note={
          <>
            {day.calls.length > 0 && phrase('in the order to make them; notes, posts and tasks among them · ')}
            <Link to="/tasks">{phrase('all tasks')}</Link> · <Link to="/posts">{phrase('posts')}</Link>
          </>
        }
      />
      {day.calls.length === 0 && <Empty>{phrase('No calls today. When a program has a call due, it stands here with what to say.')}</Empty>}
      {folds && (
        <p className="row text-small">
          <Button onClick={() => setAllCalls(true)}>
            {phrase(
              '{old, plural, one {# more has} other {# more have}} stood here for over {overTime, number} days: show {old, plural, one {it} other {them}}',
              { old: old.length, overTime },
            )}
          </Button>
        </p>
      )}
      {calls.map((c) => (
        <CallRow
          key={c.touchId}
          call={c}
          ending={ending?.key === c.touchId ? ending.outcome : undefined}
          choose={(outcome) => setEnding(outcome ? { key: c.touchId, outcome } : undefined)}
          moving={moving === c.touchId}
          setMoving={(on) => setMoving(on ? c.touchId : undefined)}
          move={(to) => move.mutate({ call: c, to })}
          on={item?.key === c.touchId}
          now={now}
          zone={zone}
          pick={() => setPicked(c.touchId)}
          outcomes={day.outcomes}
          end={(outcome, remark, next) => done.mutate({ call: c, outcome, remark, next })}
          busy={done.isPending && !done.isPaused}
        />
      ))}
      {notes.length > 0 && (
        <p className="row text-small text-soft">
          <Sentence
            m="{notes, plural, one {# note} other {# notes}} to be written: <a>print cards and address labels</a>{button}"
            v={{
              notes: notes.length,
              a: (c) => (
                <a className="no-underline hover:underline" href="/api/notes/print.pdf" target="_blank" rel="noreferrer">
                  {c}
                </a>
              ),
              button: (
                <Button className="ml-4" disabled={posted.isPending} onClick={() => posted.mutate(notes)}>
                  {notes.length === 1
                    ? phrase('it is written and posted')
                    : phrase('all {notes, number} are written and posted', { notes: notes.length })}
                </Button>
              ),
            }}
          />
        </p>
      )}
      {day.callsLater > 0 && (
        <p className="row text-small text-soft">
          {phrase(
            '{callsLater, plural, one {# more call moves} other {# more calls move}} to a later day within their slack, because today holds as many as you can make',
            { callsLater: day.callsLater },
          )}
        </p>
      )}
      {day.callsInAll > day.calls.length && (
        <p className="row text-small text-soft">
          {phrase('and {callsInAll, number} more, when these are made', { callsInAll: day.callsInAll - day.calls.length })}
        </p>
      )}

      <Stretch
        title={phrase('Going out')}
        note={
          <Sentence
            m="today {goingToday, number}, tomorrow {goingTomorrow, number}{goingToday2}"
            v={{
              goingToday: day.goingToday,
              goingTomorrow: day.goingTomorrow,
              goingToday2: day.goingToday + day.goingTomorrow > 0 && (
                <>
                  {' '}
                  · <Link to="/proof">{phrase('read them one after another')}</Link>
                </>
              ),
            }}
          />
        }
      />
      {groups.length === 0 && (
        <Empty>{phrase('Nothing goes out today or tomorrow. Programs that are on put their letters here before they go.')}</Empty>
      )}
      {groups.map((g) =>
        g.rows.length > 3 && !opened.has(g.key) ? (
          <div key={g.key} className="row flex items-baseline gap-4">
            <span className="gutter">{gutterOf(g.rows[0] as Going, zone, now)}</span>
            <span className="flex-1 font-serif">{g.pattern}</span>
            <span className="text-small">
              {phrase('{inAll, plural, one {# person} other {# people}}', { inAll: g.inAll })} · {codeWord(g.rows[0]?.kind ?? '')}
            </span>
            <Button
              onClick={() => {
                setOpened(new Set(opened).add(g.key));
                // The first one's letter stands in the margin; j goes on to the next.
                setPicked(g.rows[0]?.touchId);
              }}
              aria-label={phrase('read them all, {inAll, number}: {pattern}', { inAll: g.inAll, pattern: g.pattern })}
            >
              {phrase('read them all')}
            </Button>
          </div>
        ) : (
          <Fragment key={g.key}>
            {g.rows.length > 3 && (
              <div className="row flex flex-wrap items-baseline gap-x-4">
                <span className="gutter">{gutterOf(g.rows[0] as Going, zone, now)}</span>
                <span className="flex-1 font-serif">{g.pattern}</span>
                <span className="text-small text-soft">
                  {phrase('{inAll, plural, one {# person} other {# people}}', { inAll: g.inAll })}
                  {g.inAll > g.rows.length ? phrase(', {rows, number} of them shown', { rows: g.rows.length }) : ''}
                </span>
                <Button disabled={holdAll.isPending} onClick={() => holdAll.mutate({ group: g, hold: !g.rows.every((r) => r.held) })}>
                  {g.rows.every((r) => r.held)
                    ? phrase('let all {inAll, number} go', { inAll: g.inAll })
                    : phrase('hold all {inAll, number}', { inAll: g.inAll })}
                </Button>
                <Button
                  look="plain"
                  onClick={() => {
                    const fewer = new Set(opened);
                    fewer.delete(g.key);
                    setOpened(fewer);
                  }}
                >
                  {phrase('fold')}
                </Button>
              </div>
            )}
            {g.rows.map((r) => (
              <GoingRow
                key={r.touchId}
                row={r}
                on={item?.key === r.touchId}
                zone={zone}
                now={now}
                pick={() => setPicked(r.touchId)}
                act={(how) => mark.mutate({ row: markedOf(r), how })}
              />
            ))}
          </Fragment>
        ),
      )}
      {allGroups.length > groups.length && (
        <p className="row">
          <Button onClick={() => setWide(true)}>
            {phrase('and {allGroups, number} more kinds of letters and texts', { allGroups: allGroups.length - groups.length })}
          </Button>
        </p>
      )}
      {day.goingToday + day.goingTomorrow > day.going.length && (
        <p className="row text-small text-soft">
          {phrase('and {goingToday, number} later ones', { goingToday: day.goingToday + day.goingTomorrow - day.going.length })}
        </p>
      )}

      <Stretch title={phrase('Waiting for you')} note={day.waitingInAll || undefined} />
      {day.waiting.length === 0 && <Empty>{phrase('Nobody waits for you.')}</Empty>}
      {day.waiting.map((w) => (
        <div key={w.id} id={`item-${w.id}`} className={`row flex items-baseline gap-4 ${item?.key === w.id ? 'on' : ''}`}>
          <span className="gutter">{nearDay(w.at, zone, now)}</span>
          <div className="min-w-0 flex-1">
            <button type="button" data-pick className="w-full" onClick={() => setPicked(w.id)}>
              <b className="font-semibold">
                {w.kind === 'unknown' ? phrase('Somebody unknown') : (w.person?.name ?? phrase('For the principals'))}
              </b>
              <span
                className={`block text-small ${w.kind === 'reply' || w.kind === 'unknown' ? 'font-serif !text-base text-ink' : 'text-soft'}`}
              >
                {w.text}
              </span>
            </button>
            {w.whole && (
              <a className="text-small" href={w.whole} download>
                {phrase('the whole message, as a file')}
              </a>
            )}
            {w.quoted && (
              <details className="mt-1 text-small text-soft">
                <summary className="cursor-pointer">{phrase('what it quotes')}</summary>
                <p className="mt-1 whitespace-pre-line font-serif">{w.quoted}</p>
              </details>
            )}
          </div>
          {w.kind === 'unknown' && w.person && (
            <Button onClick={() => belongs.mutate({ id: w.id, person: w.person?.id ?? '' })}>
              {phrase('it is {person}', { person: w.person.name })}
            </Button>
          )}
          {w.answer && (
            <a
              className="text-small no-underline hover:underline"
              href={w.answer}
              onClick={() => toast(phrase('When it is sent, press “seen to”.'))}
            >
              {phrase('answer')}
            </a>
          )}
          {w.person && (
            <Link className="text-small no-underline hover:underline" to={`/people/${w.person.id}`}>
              {phrase('look')}
            </Link>
          )}
          {w.kind === 'brake' && (
            <Link className="text-small no-underline hover:underline" to="/results/sending">
              {phrase('look')}
            </Link>
          )}
          {w.kind !== 'confirm' && (
            <Button
              look="plain"
              onClick={() => seen.mutate(w.id)}
              aria-label={`${w.person?.name ?? phrase('This')}: ${w.kind === 'inquiry' ? phrase('answered') : phrase('seen to')}`}
            >
              {w.kind === 'inquiry' ? phrase('answered') : phrase('seen to')}
            </Button>
          )}
        </div>
      ))}

      <Stretch title={phrase('Needs mending')} note={day.mendingInAll || undefined} />
      {day.mending.length === 0 && <Empty>{phrase('Everything can go as it is.')}</Empty>}
      {day.mending.map((m) => (
        <div key={m.touchId} id={`item-${m.touchId}`} className={`row flex items-baseline gap-4 ${item?.key === m.touchId ? 'on' : ''}`}>
          <span className="gutter">{nearDay(m.due, zone, now)}</span>
          <button type="button" data-pick className="min-w-0 flex-1" onClick={() => setPicked(m.touchId)}>
            <b className="font-semibold">{m.person.name}</b>
            <span className="block text-small text-ember">
              {m.status === 'blocked'
                ? phrase('“{subject}” has {problem}', { subject: m.subject || phrase('A letter'), problem: m.problem })
                : m.problem}
            </span>
          </button>
          {m.status === 'blocked' && (
            <>
              <Link
                className="text-small no-underline hover:underline"
                to={`/people/${m.person.id}?edit=${m.field?.startsWith('person.') ? m.field.slice(7) : ''}`}
              >
                {phrase('mend')}
              </Link>
              <Button
                look="plain"
                onClick={() =>
                  mark.mutate({
                    row: { touchId: m.touchId, personId: m.person.id, name: m.person.name, what: quoted(m.subject || phrase('a letter')) },
                    how: 'drop',
                  })
                }
                aria-label={phrase('Drop it for {person}', { person: m.person.name })}
              >
                {phrase('drop')}
              </Button>
            </>
          )}
          {m.status === 'uncertain' && (
            <>
              <Button onClick={() => decide.mutate({ id: m.touchId, how: 'arrived' })}>{phrase('it arrived')}</Button>
              <Button look="plain" onClick={() => decide.mutate({ id: m.touchId, how: 'not-arrived' })}>
                {phrase('send it again')}
              </Button>
            </>
          )}
          {m.status === 'set-aside' && (
            <Button onClick={() => decide.mutate({ id: m.person.id, how: 'again' })}>{phrase('try again')}</Button>
          )}
        </div>
      ))}
      <NotSwitchedOn />
      <p className="border-t border-rule px-7 py-3 text-small text-soft">
        <Sentence
          m="{kbd} {kbd2} go through · {kbd3} opens the person · {kbd4} all keys · {morningHour}"
          v={{ kbd: <kbd>j</kbd>, kbd2: <kbd>k</kbd>, kbd3: <kbd>Enter</kbd>, kbd4: <kbd>?</kbd>, morningHour: <MorningHour /> }}
        />
      </p>
    </DayPage>
  );
}

/** Whose sheet is read. */
function Whose({ whose, set }: { whose: string; set: (whose: string) => void }) {
  const session = useSession().data;
  const own = session?.member?.id;
  return (
    <select aria-label={phrase('Whose')} className="ml-4" value={whose} onChange={(e) => set(e.target.value)}>
      <option value="">{phrase('everybody’s')}</option>
      {session?.members.map((m) => (
        <option key={m.id} value={m.id}>
          {m.id === own ? phrase('mine') : phrase('of {name}', { name: m.name })}
        </option>
      ))}
    </select>
  );
}

/** Puts the focus on a line of the sheet, so that a screen reader says what is picked. */
function focusOn(key?: string) {
  const line = document.getElementById(`item-${key}`);
  line?.scrollIntoView({ block: 'nearest' });
  line?.querySelector<HTMLElement>('[data-pick]')?.focus({ preventScroll: true });
}

type Group = { key: string; pattern: string; rows: Going[]; inAll: number };

/** Letters of one step on one day belong together; their subject with names differs, so the shared words are shown. */
function grouped(rows: Going[], counts: Schemas['GoingCount'][]): Group[] {
  const groups = new Map<string, Group>();
  for (const row of rows) {
    const key = `${row.programId}/${row.stepId}/${row.isToday}`;
    const group = groups.get(key) ?? { key, pattern: row.subject, rows: [], inAll: 0 };
    if (group.pattern !== row.subject) group.pattern = shared(group.pattern, row.subject);
    group.rows.push(row);
    groups.set(key, group);
  }
  for (const group of groups.values()) {
    const first = group.rows[0] as Going;
    const counted =
      counts.find((c) => c.programId === first.programId && c.stepId === first.stepId && c.isToday === first.isToday)?.count ?? 0;
    group.inAll = Math.max(counted, group.rows.length);
  }
  return [...groups.values()];
}

function shared(a: string, b: string) {
  const base = a.replace(/ …$/, '');
  let n = 0;
  while (n < base.length && base[n] === b[n]) n++;
  const cut = base.slice(0, n).replace(/\s+\S*$/, '');
  return n === base.length && !a.endsWith('…') ? base : `${cut} …`;
}

function gutterOf(row: Going, zone: string, now: string) {
  return row.isToday ? time(row.due, zone) : `${nearDay(row.due, zone, now)}, ${time(row.due, zone)}`;
}

function GoingRow({
  row,
  on,
  zone,
  now,
  pick,
  act,
}: {
  row: Going;
  on: boolean;
  zone: string;
  now: string;
  pick: () => void;
  act: (how: 'hold' | 'release' | 'drop') => void;
}) {
  return (
    <div id={`item-${row.touchId}`} className={`row flex items-baseline gap-4 ${on ? 'on' : ''}`} aria-current={on}>
      <span className="gutter" title={moment(row.due, zone)}>
        {gutterOf(row, zone, now)}
      </span>
      <button type="button" data-pick className="flex min-w-0 flex-1 items-baseline gap-2.5" onClick={pick}>
        <span className="self-center">
          <StepMark kind={row.kind} color={row.problem || row.held || row.willNot ? 'var(--ember)' : 'var(--ink-faint)'} />
        </span>
        <span className="min-w-0">
          <span className={`font-serif ${row.willNot ? 'text-soft line-through' : ''}`}>{row.subject}</span>
          <span className="block text-small text-soft">
            <Sentence
              m="{held}{problem}{willNot}{program}, to {person}"
              v={{
                held: row.held ? <span className="text-straw">{phrase('held · ')}</span> : null,
                problem: row.problem ? <span className="text-ember">{row.problem} · </span> : null,
                willNot:
                  row.willNot && !row.held ? (
                    <span className="text-ember">{phrase('will not go: {willNot} · ', { willNot: row.willNot })}</span>
                  ) : null,
                program: row.program,
                person: row.person.name,
              }}
            />
          </span>
        </span>
      </button>
      <Button
        onClick={() => act(row.held ? 'release' : 'hold')}
        aria-label={phrase('{held, select, true {Release} other {Hold}} the letter to {person}', {
          held: String(row.held),
          person: row.person.name,
        })}
      >
        {row.held ? phrase('release') : phrase('hold')}
      </Button>
      <Button
        look="plain"
        className="ml-6"
        onClick={() => act('drop')}
        aria-label={phrase('Drop the letter to {person}', { person: row.person.name })}
      >
        {phrase('drop')}
      </Button>
    </div>
  );
}

function Idle({ empty }: { empty: boolean }) {
  return empty ? (
    <>
      <h3>{phrase('A clear desk')}</h3>
      <p className="mt-1">
        <Sentence
          m="<link>Bring people in</link>, then <link2>write a program</link2>: what it plans for them appears here."
          v={{ link: (c) => <Link to="/people/bring-in">{c}</Link>, link2: (c) => <Link to="/programs">{c}</Link> }}
        />
      </p>
    </>
  ) : (
    <>
      <h3>{phrase('Why')}</h3>
      <p className="mt-1">{phrase('Pick a call or a letter to see why it is here and what it says.')}</p>
    </>
  );
}
