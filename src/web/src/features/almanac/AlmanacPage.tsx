import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useEffect, useMemo, useState } from 'react';
import { Link, useSearchParams } from 'react-router';
import { toast } from 'sonner';
import { api, type Schemas, take } from '../../api/client';
import { useSession } from '../../app/session';
import { Button, Empty, Loading, Trouble } from '../../ui/bits';
import { Choices } from '../../ui/Choices';
import { DayPage, PageHead } from '../../ui/DayPage';
import { useKept } from '../../ui/kept';
import { useKeys } from '../../ui/keys';
import { StepMark } from '../../ui/TouchLine';
import { said } from '../../ui/undo';
import { date, dayName, nextDay, time } from '../../ui/when';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { AlmanacMargin } from './AlmanacMargin';
import { YearLine } from './YearLine';

type Day = Schemas['AlmanacDay'];
type Group = Schemas['AlmanacGroup'];
type Calls = Schemas['AlmanacCalls'];

/** A line of the almanac that opens to names. */
export type Line = { key: string; date: string; group?: Group; calls?: Calls };

/** What of the almanac is shown; an empty word is all. */
export type Filter = { member: string; program: string; kind: string; segment: string; whatIf: string };

const all: Filter = { member: '', program: '', kind: '', segment: '', whatIf: '' };

/** So many days are read at a time. */
const days = 14;

const kinds = {
  email: phrase('emails'),
  text: phrase('texts'),
  call: phrase('calls'),
  note: phrase('notes to write'),
  task: phrase('tasks'),
  post: phrase('posts'),
};

/** The filter as the server is asked. */
export const asked = (f: Filter) => ({
  member: f.member || undefined,
  program: f.program || undefined,
  kind: f.kind || undefined,
  segment: f.segment || undefined,
  whatIf: f.whatIf || undefined,
});

/** What is coming: the year as a line of weeks, and its days one after the other, from the rehearsal of everything that is on. */
export default function AlmanacPage() {
  const queries = useQueryClient();
  const [kept, setFilter] = useKept<Filter>('almanac.filter', all);
  // Kept by an older page, it lacks what has come since.
  const filter = useMemo(() => ({ ...all, ...kept }), [kept]);
  const [address, setAddress] = useSearchParams();
  const [from, setFrom] = useState<string>();
  const [picked, setPicked] = useState<string>();
  const [person, setPerson] = useState<string>();
  const almanac = useInfiniteQuery({
    queryKey: ['almanac', filter, from],
    initialPageParam: from,
    queryFn: ({ pageParam }) => take(api.GET('/api/almanac', { params: { query: { ...asked(filter), from: pageParam, days } } })),
    getNextPageParam: (last) => {
      const end = last.days.at(-1)?.date;
      return end && nextDay(end);
    },
    placeholderData: (before) => before,
  });
  const first = almanac.data?.pages[0];
  const shown = useMemo(() => almanac.data?.pages.flatMap((p) => p.days) ?? [], [almanac.data]);
  const lines = useMemo(() => shown.flatMap(linesOf), [shown]);
  const line = lines.find((l) => l.key === picked) ?? lines[0];
  const today = first ? date(first.now, first.zone) : '';

  const pick = (key: string | undefined) => {
    if (!key) return;
    setPicked(key);
    setPerson(undefined);
    const row = document.getElementById(`line-${key}`);
    row?.scrollIntoView({ block: 'nearest' });
    row?.querySelector<HTMLElement>('[data-pick]')?.focus({ preventScroll: true });
  };
  const step = (by: number) => {
    const at = lines.findIndex((l) => l.key === line?.key);
    pick(lines[Math.min(Math.max(at + by, 0), lines.length - 1)]?.key);
  };
  // Another stretch of the year begins at its first line.
  useEffect(() => {
    if (from !== undefined) setPicked(undefined);
  }, [from]);

  // A program's page leads here with itself laid over everything.
  const wished = address.get('whatIf');
  useEffect(() => {
    if (!wished) return;
    setFilter({ ...all, whatIf: wished });
    setAddress({}, { replace: true });
  }, [wished, setFilter, setAddress]);

  const again = () => {
    for (const key of ['almanac', 'today', 'touch']) queries.invalidateQueries({ queryKey: [key] });
  };
  const act = useMutation({
    meta: { says: (v: Act) => saysAct(v) },
    mutationFn: ({ line: l, how, to }: Act) =>
      take(
        api.POST('/api/almanac/group', {
          body: { date: l.date, program: l.group?.programId ?? '', step: l.group?.stepId ?? '', how, to: to ?? null },
        }),
      ),
    onSuccess: (done, v) => {
      again();
      said(phrase('{count, plural, one {# message} other {# messages}}: {v}', { count: done.count, v: saysAct(v) }), async () => {
        const back = await take(
          api.POST('/api/almanac/group/undo', { body: { how: v.how, touches: done.touches, events: done.events, before: done.before } }),
        );
        again();
        return back.tooLate > 0
          ? phrase(
              'Taken back for {count, plural, one {# person} other {# people}}; for {tooLate, number} something else has happened since.',
              { count: back.count, tooLate: back.tooLate },
            )
          : phrase('Taken back for {count, plural, one {# person} other {# people}}.', { count: back.count });
      });
    },
    onError: (e) => toast.error(e.message),
  });
  const holdOrLet = (l: Line | undefined) => {
    if (l?.group && l.group.goes + l.group.held > 0) act.mutate({ line: l, how: l.group.goes > 0 ? 'hold' : 'release' });
  };

  useKeys({
    j: () => step(1),
    k: () => step(-1),
    ArrowDown: () => step(1),
    ArrowUp: () => step(-1),
    h: () => !filter.whatIf && holdOrLet(line),
  });

  if (almanac.isPending) return <Loading what={phrase('Rehearsing everything that is on')} />;
  return (
    <DayPage
      marginTitle={phrase('Who it is')}
      margin={
        line ? (
          <AlmanacMargin
            key={line.key}
            line={line}
            filter={filter}
            today={today}
            person={person}
            setPerson={setPerson}
            act={filter.whatIf ? undefined : (how, to) => act.mutate({ line, how, to })}
            busy={act.isPending}
          />
        ) : (
          <p className="text-small text-soft">{phrase('Pick a line to see who it is.')}</p>
        )
      }
    >
      <PageHead
        title={phrase('Almanac')}
        aside={
          <>
            {first && <Summary almanac={first} />} · <Link to="/almanac/forgotten">{phrase('Nobody forgotten')}</Link>
          </>
        }
      >
        <Filters filter={filter} set={setFilter} />
      </PageHead>
      <div className="px-7">
        <Trouble error={almanac.error} />
        {first?.whatIf && (
          <p className="mb-3 text-small">
            <Sentence
              m="As it would be if “{whatIf}” were on, as it is written now. What it would send stands in italics; nothing is held or moved from here. <link>To the program</link>"
              v={{ whatIf: first.whatIf, link: (c) => <Link to={`/programs/${filter.whatIf}`}>{c}</Link> }}
            />
          </p>
        )}
      </div>
      {first && <YearLine weeks={first.weeks} from={shown[0]?.date ?? today} today={today} go={setFrom} />}
      {from !== undefined && from !== today && (
        <p className="row">
          <Button onClick={() => setFrom(undefined)}>{phrase('back to today')}</Button>
        </p>
      )}
      {shown.map((d) => (
        <DayLines
          key={d.date}
          day={d}
          today={today}
          zone={first?.zone ?? 'UTC'}
          picked={line?.key}
          pick={pick}
          hold={filter.whatIf ? undefined : holdOrLet}
          laid={filter.whatIf}
          busy={act.isPending}
        />
      ))}
      {lines.length === 0 && !almanac.error && (
        <Empty>
          <Sentence
            m="Nothing is planned in these days. What <link>programs</link> that are on will send stands here, day by day."
            v={{ link: (c) => <Link to="/programs">{c}</Link> }}
          />
        </Empty>
      )}
      {almanac.hasNextPage && (
        <p className="row">
          <Button onClick={() => almanac.fetchNextPage()} disabled={almanac.isFetchingNextPage}>
            {phrase('the two weeks after')}
          </Button>
        </p>
      )}
      <p className="border-t border-rule px-7 py-3 text-small text-soft">
        <Sentence
          m="{kbd} {kbd2} go through · {kbd3} holds, or lets go · {kbd4} all keys"
          v={{ kbd: <kbd>j</kbd>, kbd2: <kbd>k</kbd>, kbd3: <kbd>h</kbd>, kbd4: <kbd>?</kbd> }}
        />
      </p>
    </DayPage>
  );
}

/** What is done with all of a line. */
export type GroupAct = 'hold' | 'release' | 'drop' | 'move';
type Act = { line: Line; how: GroupAct; to?: string };

function saysAct({ line, how, to }: Act) {
  const words = {
    hold: phrase('held'),
    release: phrase('let go again'),
    drop: phrase('dropped'),
    move: phrase('moved to {to}', { to: to ? dayName(to) : '' }),
  }[how];
  return phrase('“{words}” of {date} {words2}', { words: line.group?.words, date: dayName(line.date), words2: words });
}

function Summary({ almanac }: { almanac: Schemas['AlmanacDto'] }) {
  const sum = (of: (w: Schemas['AlmanacWeek']) => number) => almanac.weeks.reduce((n, w) => n + of(w), 0);
  return (
    <Sentence
      m="in a year {sum, plural, one {# message} other {# messages}} and {sum2, plural, one {# call} other {# calls}} to {people, plural, one {# person} other {# people}}{isAll}"
      v={{
        sum: sum((w) => w.messages),
        sum2: sum((w) => w.calls),
        people: almanac.people,
        isAll: !almanac.isAll && phrase(', of the first 20,000 for whom something comes'),
      }}
    />
  );
}

/** What is shown, as one sentence of choices. */
function Filters({ filter, set }: { filter: Filter; set: (f: Filter) => void }) {
  const members = useSession().data?.members ?? [];
  const programs = useQuery({ queryKey: ['programs'], queryFn: () => take(api.GET('/api/programs')) });
  const segments = useQuery({ queryKey: ['segments'], queryFn: () => take(api.GET('/api/segments')) });
  const choices = [
    { key: 'kind', label: phrase('What'), none: phrase('everything'), of: Object.entries(kinds) },
    {
      key: 'program',
      label: phrase('Program'),
      none: phrase('by every program'),
      of: (programs.data ?? []).map((p) => [p.id, phrase('by {program}', { program: p.name })] as const),
    },
    {
      key: 'member',
      label: phrase('Member'),
      none: phrase('of everybody'),
      of: members.map((m) => [m.id, phrase('of {member}', { member: m.name })] as const),
    },
    {
      key: 'whatIf',
      label: phrase('What if'),
      none: phrase('as it is'),
      of: (programs.data ?? [])
        .filter((p) => p.status !== 'on' || p.changed)
        .map((p) => [p.id, phrase('if “{name}” were on', { name: p.name })] as const),
    },
    {
      key: 'segment',
      label: phrase('Segment'),
      none: phrase('for all people'),
      of: (segments.data ?? []).map((s) => [s.id, phrase('for {segment}', { segment: s.name })] as const),
    },
  ] as const;
  return (
    <Choices choices={choices} values={filter} set={(key, value) => set({ ...filter, [key]: value })}>
      {Object.values(filter).some(Boolean) && <Button onClick={() => set(all)}>{phrase('show all')}</Button>}
    </Choices>
  );
}

function DayLines({
  day: d,
  today,
  zone,
  picked,
  pick,
  hold,
  laid,
  busy,
}: {
  day: Day;
  today: string;
  zone: string;
  picked?: string;
  pick: (key: string) => void;
  hold?: (line: Line) => void;
  laid: string;
  busy: boolean;
}) {
  const lines = linesOf(d);
  const idle = d.free ?? (d.isWorkingDay ? null : phrase('no working day'));
  const quiet = lines.length === 0 && d.appointments.length === 0 && d.occasions.length === 0 && d.tasks === 0 && d.starts.length === 0;
  return (
    <section aria-label={dayName(d.date)} className="border-t border-rule">
      <div className={`row !border-0 flex items-baseline gap-4 ${quiet ? '!py-1' : ''}`}>
        <span className={`gutter ${d.date === today ? 'font-semibold !text-ink' : ''}`}>
          {d.date === today ? phrase('today') : dayName(d.date, today)}
        </span>
        <p className="m-0 min-w-0 flex-1 text-small text-soft">
          {idle && <span className="mr-4">{idle}</span>}
          {idle === null && quiet && phrase('nothing')}
          {d.away.length > 0 && <span className="mr-4">{phrase(' away: {away}', { away: d.away.join(', ') })}</span>}
          {d.occasions.map((o) => (
            <span key={o.name} className="mr-4">
              {o.name}:{' '}
              {o.people.map((p, i) => (
                <span key={p.person.id}>
                  {i > 0 && ', '}
                  <Link to={`/people/${p.person.id}`} className="text-soft">
                    {p.person.name}
                  </Link>
                  {p.years !== null && ` (${p.years})`}
                </span>
              ))}
              {o.count > o.people.length && phrase(' and {count, number} more', { count: o.count - o.people.length })}
            </span>
          ))}
          {d.starts.map((s) => (
            <span key={s.programId} className="mr-4">
              <Sentence
                m="{link} begins for {count, plural, one {# person} other {# people}}"
                v={{
                  link: (
                    <Link to={`/programs/${s.programId}`} className="text-soft">
                      {s.program}
                    </Link>
                  ),
                  count: s.count,
                }}
              />
            </span>
          ))}
          {d.tasks > 0 && (
            <span>{phrase('{tasks, plural, one {# task of one’s own is} other {# tasks of one’s own are}} due', { tasks: d.tasks })}</span>
          )}
        </p>
      </div>
      {d.appointments.map((a) => (
        <div key={a.id} className="row !border-0 flex items-baseline gap-4 !py-1">
          <span className="gutter">{time(a.at, zone)}</span>
          <span className="min-w-0 flex-1">
            {a.type}:{' '}
            <Link to={`/people/${a.person.id}`} className="font-semibold text-ink no-underline hover:underline">
              {a.person.name}
            </Link>
            {a.with && <span className="text-soft">{phrase(' with {with}', { with: a.with })}</span>}
          </span>
        </div>
      ))}
      {lines.map((l) => (
        <LineRow
          key={l.key}
          line={l}
          zone={zone}
          on={l.key === picked}
          pick={() => pick(l.key)}
          hold={hold && (() => hold(l))}
          laid={l.group !== undefined && l.group.programId === laid}
          busy={busy}
        />
      ))}
    </section>
  );
}

function LineRow({
  line,
  zone,
  on,
  pick,
  hold,
  laid,
  busy,
}: {
  line: Line;
  zone: string;
  on: boolean;
  pick: () => void;
  hold?: () => void;
  laid: boolean;
  busy: boolean;
}) {
  const { group, calls } = line;
  return (
    <div id={`line-${line.key}`} className={`row !border-0 flex items-baseline gap-4 !py-1 ${on ? 'on' : ''}`} aria-current={on}>
      <span className="gutter">{group ? time(group.first, zone) : ''}</span>
      <button type="button" data-pick className="flex min-w-0 flex-1 items-baseline gap-2.5 text-left" onClick={pick}>
        <span className="self-center">
          <StepMark kind={group?.kind ?? 'call'} color={calls && calls.over > 0 ? 'var(--ember)' : 'var(--ink-faint)'} />
        </span>
        {group && (
          <span className={`min-w-0 ${laid ? 'italic' : ''}`}>
            <span className="font-serif">{group.words}</span> {laid && <span className="sr-only">{phrase('if it were on: ')}</span>}
            <span className="text-small text-soft">{group.program}</span>
          </span>
        )}
        {calls && (
          <span>
            <Sentence
              m="{calls, plural, one {# call} other {# calls}} of {member}{room}"
              v={{
                calls: calls.calls,
                member: calls.member,
                room: calls.room !== null && (
                  <span className="text-soft">
                    <Sentence
                      m=" · room for {room, number}{over}"
                      v={{
                        room: calls.room,
                        over: calls.over > 0 && (
                          <span className="text-ember">{phrase(', {over, number} too many', { over: calls.over })}</span>
                        ),
                      }}
                    />
                  </span>
                ),
              }}
            />
          </span>
        )}
      </button>
      {group && (
        <>
          <span className="text-small whitespace-nowrap">
            {group.goes + group.held > 0 && phrase('{goes, plural, one {# person} other {# people}}', { goes: group.goes + group.held })}
            {group.held > 0 && (
              <span className="text-straw">
                {' '}
                · {group.goes === 0 ? phrase('held') : phrase('{held, number} held', { held: group.held })}
              </span>
            )}
            {group.willNot > 0 && (
              <span className="text-ember">
                <Sentence m="{goes}{willNot, number} will not" v={{ goes: group.goes + group.held > 0 && ' · ', willNot: group.willNot }} />
              </span>
            )}
          </span>
          {hold && group.goes + group.held > 0 && (
            <Button
              disabled={busy}
              onClick={hold}
              aria-label={phrase('{goes, select, true {Hold} other {Release}} all of “{words}” on {date}', {
                goes: String(group.goes > 0),
                words: group.words,
                date: dayName(line.date),
              })}
            >
              {group.goes > 0 ? phrase('hold') : phrase('release')}
            </Button>
          )}
        </>
      )}
    </div>
  );
}

/** The lines of a day that open to names. */
function linesOf(d: Day): Line[] {
  return [
    ...d.calls.map((calls) => ({ key: `${d.date}/${calls.memberId}`, date: d.date, calls })),
    ...d.groups.map((group) => ({ key: `${d.date}/${group.programId}/${group.stepId}`, date: d.date, group })),
  ];
}
