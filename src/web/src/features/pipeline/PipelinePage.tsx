import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useMemo, useState } from 'react';
import { Link, useNavigate } from 'react-router';
import { toast } from 'sonner';
import { api, type Schemas, take } from '../../api/client';
import { useSession } from '../../app/session';
import { Empty, Loading, Trouble } from '../../ui/bits';
import { Choices } from '../../ui/Choices';
import { DayPage, PageHead } from '../../ui/DayPage';
import { useKept } from '../../ui/kept';
import { useKeys } from '../../ui/keys';
import { money } from '../../ui/money';
import { said } from '../../ui/undo';
import { dayName, nearDay } from '../../ui/when';
import { locale, phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { OpportunityMargin, type Part } from './OpportunityMargin';
import { PipelineNumbers } from './PipelineNumbers';

type Pipeline = Schemas['PipelineDto'];
type Stage = Schemas['PipelineStage'];
export type Line = Schemas['OpportunityLine'];

type Filter = { name: string; member: string; segment: string };

/** A pipeline: its stages one after the other, each with the opportunities that stand in it. */
export default function PipelinePage() {
  const queries = useQueryClient();
  const go = useNavigate();
  const [filter, setFilter] = useKept<Filter>('pipeline.filter', { name: '', member: '', segment: '' });
  const [picked, setPicked] = useState<string>();
  const [marked, setMarked] = useState<ReadonlySet<string>>(new Set());
  const [part, setPart] = useState<Part>();
  const pipeline = useQuery({
    queryKey: ['pipeline', filter],
    queryFn: () =>
      take(
        api.GET('/api/pipeline', {
          params: { query: { name: filter.name || undefined, member: filter.member || undefined, segment: filter.segment || undefined } },
        }),
      ),
    placeholderData: (before) => before,
  });
  const stages = pipeline.data?.stages ?? [];
  const lines = useMemo(() => stages.flatMap((s) => s.rows.map((row) => ({ row, stage: s }))), [stages]);
  const at = Math.max(
    0,
    lines.findIndex((l) => l.row.id === picked),
  );
  const line = lines[at];
  // Those that are marked, else the one that is picked.
  const chosen = lines.filter((l) => marked.has(l.row.id));
  const meant = chosen.length > 0 ? chosen : line ? [line] : [];

  const again = () => {
    for (const key of ['pipeline', 'dealings', 'people', 'thread']) queries.invalidateQueries({ queryKey: [key] });
  };
  const pick = (id: string | undefined) => {
    if (!id) return;
    setPicked(id);
    setPart(undefined);
    const row = document.getElementById(`opportunity-${id}`);
    row?.scrollIntoView({ block: 'nearest' });
    row?.querySelector<HTMLElement>('[data-pick]')?.focus({ preventScroll: true });
  };
  const mark = (id: string) => {
    const next = new Set(marked);
    if (!next.delete(id)) next.add(id);
    setMarked(next);
  };

  const move = useMutation({
    meta: {
      says: (v: Move) =>
        phrase('{ids, plural, one {# opportunity} other {# opportunities}} to {stage}', { ids: v.ids.length, stage: nameOf(v.stage) }),
    },
    mutationFn: ({ ids, stage }: Move) => take(api.POST('/api/pipeline/move', { body: { ids, stage } })),
    onSuccess: ({ moved }, { stage }) => {
      again();
      setMarked(new Set());
      setPart(undefined);
      if (moved.length === 0) return;
      said(
        phrase('{moved} moved to {stage}', {
          moved: moved.length === 1 ? (lines.find((l) => l.row.id === moved[0]?.id)?.row.person.name ?? phrase('It')) : moved.length,
          stage: nameOf(stage),
        }),
        async () => {
          for (const before of new Set(moved.map((m) => m.stage)))
            await take(
              api.POST('/api/pipeline/move', { body: { ids: moved.filter((m) => m.stage === before).map((m) => m.id), stage: before } }),
            );
          again();
        },
      );
    },
    onError: (e) => toast.error(e.message),
  });
  const moveBy = (by: number) => {
    const from = meant[0] && stages.findIndex((s) => s.stage === meant[0]?.stage.stage);
    const to = from === undefined ? undefined : stages[from + by];
    if (to) move.mutate({ ids: meant.map((m) => m.row.id), stage: to.stage });
  };
  const open = (next: Part) => () => line && setPart(next);
  useKeys({
    j: () => pick(lines[Math.min(at + 1, lines.length - 1)]?.row.id),
    k: () => pick(lines[Math.max(at - 1, 0)]?.row.id),
    ArrowDown: () => pick(lines[Math.min(at + 1, lines.length - 1)]?.row.id),
    ArrowUp: () => pick(lines[Math.max(at - 1, 0)]?.row.id),
    x: () => line && mark(line.row.id),
    '>': () => moveBy(1),
    '<': () => moveBy(-1),
    m: open('move'),
    w: open('won'),
    l: open('lost'),
    e: open('edit'),
    Enter: () => line && go(`/people/${line.row.person.id}`),
  });

  if (pipeline.isPending) return <Loading what={phrase('Opening the pipeline')} />;
  const p = pipeline.data;
  return (
    <DayPage
      marginTitle={phrase('The opportunity')}
      margin={
        line && p ? (
          <OpportunityMargin
            key={line.row.id}
            line={line.row}
            stage={line.stage}
            stages={stages}
            pipeline={p}
            meant={meant.map((m) => m.row)}
            part={part}
            setPart={setPart}
            move={(stage) => move.mutate({ ids: meant.map((m) => m.row.id), stage })}
            done={() => {
              setMarked(new Set());
              setPart(undefined);
              again();
            }}
          />
        ) : (
          <p className="text-small text-soft">{phrase('Pick an opportunity to see more of it.')}</p>
        )
      }
    >
      <PageHead
        title={p?.pipeline ?? phrase('Pipeline')}
        aside={
          <>
            {p && <Sum pipeline={p} />} · <Link to="/pipeline/lost">{phrase('Lost ones')}</Link> ·{' '}
            <Link to="/pipeline/stages">{phrase('Stages')}</Link>
          </>
        }
      >
        {p && <Filters filter={filter} set={setFilter} pipelines={p.pipelines} />}
      </PageHead>
      <div className="px-7">
        <Trouble error={pipeline.error ?? move.error} />
      </div>
      {p && p.months.length > 0 && <Months pipeline={p} />}
      {p?.stages.map((s) => (
        <StageLines
          key={s.stage}
          stage={s}
          pipeline={p}
          picked={line?.row.id}
          marked={marked}
          pick={pick}
          mark={mark}
          drop={(id) => move.mutate({ ids: marked.has(id) ? [...marked] : [id], stage: s.stage })}
        />
      ))}
      {p && p.stages.length === 0 && (
        <Empty>
          <Sentence
            m="The practice has no pipeline yet. Make its <link>stages</link>."
            v={{ link: (c) => <Link to="/pipeline/stages">{c}</Link> }}
          />
        </Empty>
      )}
      {p?.pipeline && <PipelineNumbers name={p.pipeline} />}
      <p className="border-t border-rule px-7 py-3 text-small text-soft">
        <Sentence
          m="{kbd} {kbd2} go through · {kbd3} marks several · {kbd4} {kbd5} to the next stage, the one before · {kbd6} won · {kbd7} lost · {kbd8} all keys"
          v={{
            kbd: <kbd>j</kbd>,
            kbd2: <kbd>k</kbd>,
            kbd3: <kbd>x</kbd>,
            kbd4: <kbd>&gt;</kbd>,
            kbd5: <kbd>&lt;</kbd>,
            kbd6: <kbd>w</kbd>,
            kbd7: <kbd>l</kbd>,
            kbd8: <kbd>?</kbd>,
          }}
        />
      </p>
    </DayPage>
  );
}

type Move = { ids: string[]; stage: string };

/** A stage's own name, of how opportunities name it. */
const nameOf = (stage: string) => stage.slice(stage.indexOf('/') + 1);

function Sum({ pipeline: p }: { pipeline: Pipeline }) {
  const n = p.stages.reduce((sum, s) => sum + s.count, 0);
  const worth = p.stages.reduce((sum, s) => sum + s.worth, 0);
  return (
    <>
      {phrase('{n, plural, one {# open} other {# open}}', { n })}
      {worth > 0 && phrase(', worth {worth}', { worth: money(worth, p.currency) })}
    </>
  );
}

function Filters({ filter, set, pipelines }: { filter: Filter; set: (f: Filter) => void; pipelines: string[] }) {
  const members = useSession().data?.members ?? [];
  const segments = useQuery({ queryKey: ['segments'], queryFn: () => take(api.GET('/api/segments')) });
  const choices = [
    { key: 'name', label: phrase('Pipeline'), none: null, of: pipelines.length > 1 ? pipelines.map((n) => [n, n] as const) : [] },
    {
      key: 'member',
      label: phrase('Member'),
      none: phrase('of everybody'),
      of: members.map((m) => [m.id, phrase('of {member}', { member: m.name })] as const),
    },
    {
      key: 'segment',
      label: phrase('Segment'),
      none: phrase('with all people'),
      of: (segments.data ?? []).map((s) => [s.id, phrase('with {segment}', { segment: s.name })] as const),
    },
  ] as const;
  return <Choices choices={choices} values={filter} set={(key, value) => set({ ...filter, [key]: value })} />;
}

const monthName = (month: string) =>
  new Intl.DateTimeFormat(locale(), { timeZone: 'UTC', month: 'long' }).format(new Date(`${month}-15T12:00:00Z`));

/** What moved in this month, against the three before. */
function Months({ pipeline: p }: { pipeline: Pipeline }) {
  const rows: [string, (m: Schemas['PipelineMonth']) => string][] = [
    ['opened', (m) => String(m.opened)],
    [phrase('moved on'), (m) => String(m.forward)],
    ['won', (m) => String(m.won)],
    ['brought', (m) => money(m.wonWorth, p.currency)],
    ['lost', (m) => String(m.lost)],
  ];
  return (
    <table className="mx-7 mb-4 text-small max-[699px]:mx-4">
      <caption className="sr-only">{phrase('What moved in this month and the three before')}</caption>
      <thead>
        <tr>
          <td />
          {rows.map(([words]) => (
            <th key={words} scope="col" className="pl-6 text-right font-normal text-soft max-[699px]:pl-3">
              {words}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {p.months.map((m, i) => (
          <tr key={m.month} className={i === 0 ? 'font-semibold' : 'text-soft'}>
            <th scope="row" className={`text-left ${i === 0 ? '' : 'font-normal'}`}>
              {i === 0 ? phrase('{month} so far', { month: monthName(m.month) }) : monthName(m.month)}
            </th>
            {rows.map(([words, of]) => (
              <td key={words} className="pl-6 text-right tabular-nums max-[699px]:pl-3">
                {of(m)}
              </td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function StageLines({
  stage: s,
  pipeline,
  picked,
  marked,
  pick,
  mark,
  drop,
}: {
  stage: Stage;
  pipeline: Pipeline;
  picked?: string;
  marked: ReadonlySet<string>;
  pick: (id: string) => void;
  mark: (id: string) => void;
  drop: (id: string) => void;
}) {
  const [over, setOver] = useState(false);
  return (
    <section
      aria-label={s.name}
      className={over ? 'bg-leaf-pale' : ''}
      onDragOver={(e) => {
        if (!e.dataTransfer.types.includes('text/x-opportunity')) return;
        e.preventDefault();
        setOver(true);
      }}
      onDragLeave={(e) => !e.currentTarget.contains(e.relatedTarget as Node) && setOver(false)}
      onDrop={(e) => {
        setOver(false);
        const id = e.dataTransfer.getData('text/x-opportunity');
        if (!id) return;
        e.preventDefault();
        drop(id);
      }}
    >
      <div className="stretch">
        <h2>{s.name}</h2>
        <span className="text-small text-soft">
          {s.count}
          {s.worth > 0 && ` · ${money(s.worth, pipeline.currency)}`}
          {s.usualDays !== null &&
            phrase(' · half go on within {usualDays, plural, one {# day} other {# days}}', { usualDays: s.usualDays })}
        </span>
      </div>
      {s.rows.map((row) => (
        <OpportunityRow
          key={row.id}
          row={row}
          stage={s}
          pipeline={pipeline}
          on={row.id === picked}
          marked={marked.has(row.id)}
          pick={() => pick(row.id)}
          mark={() => mark(row.id)}
        />
      ))}
      {s.count === 0 && <p className="row text-small text-soft">{phrase('Nobody stands here.')}</p>}
      {s.count > s.rows.length && (
        <p className="row text-small text-soft">{phrase('and {count, number} that came later', { count: s.count - s.rows.length })}</p>
      )}
    </section>
  );
}

function OpportunityRow({
  row,
  stage,
  pipeline: { now, zone, currency },
  on,
  marked,
  pick,
  mark,
}: {
  row: Line;
  stage: Stage;
  pipeline: Pipeline;
  on: boolean;
  marked: boolean;
  pick: () => void;
  mark: () => void;
}) {
  const usual = stage.usualDays;
  const late = usual !== null && row.days > 2 * Math.max(usual, 1);
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: dragging is a second way; by key it is > and <, and m.
    <div
      id={`opportunity-${row.id}`}
      className={`row flex items-baseline gap-4 ${on ? 'on' : ''}`}
      draggable
      onDragStart={(e) => {
        e.dataTransfer.setData('text/x-opportunity', row.id);
        e.dataTransfer.effectAllowed = 'move';
      }}
    >
      <span className={`gutter ${late ? '!text-straw font-semibold' : ''}`}>
        {phrase('{days, plural, one {# day} other {# days}}', { days: row.days })}
        {late && <span className="sr-only">{phrase(', much longer than usual')}</span>}
      </span>
      <input
        type="checkbox"
        aria-label={phrase('Mark {person}, {title}', { person: row.person.name, title: row.title })}
        checked={marked}
        onChange={mark}
      />
      <button type="button" data-pick className="min-w-0 flex-1 text-left" aria-pressed={on} onClick={pick}>
        <b className="font-semibold">{row.person.name}</b> <span className="font-serif">{row.title}</span>
        <span className="block text-small text-soft">
          {row.lastAnswer
            ? phrase('answered {lastAnswer}', { lastAnswer: nearDay(row.lastAnswer, zone, now) })
            : phrase('has not answered yet')}
          {' · '}
          {row.nextTouch ? (
            phrase('next touch {nextTouch}', { nextTouch: nearDay(row.nextTouch, zone, now) })
          ) : (
            <span className="text-straw">{phrase('nothing planned')}</span>
          )}
          {row.appointment && phrase(' · appointment {appointment}', { appointment: nearDay(row.appointment, zone, now) })}
          {row.expectedOn && phrase(' · expected {expectedOn}', { expectedOn: dayName(row.expectedOn) })}
          {row.owner && ` · ${row.owner}`}
        </span>
      </button>
      <span className="whitespace-nowrap tabular-nums">{row.worth === null ? '' : money(row.worth, currency)}</span>
    </div>
  );
}
