import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useNavigate } from 'react-router';
import { toast } from 'sonner';
import { api, type Schemas, take } from '../../api/client';
import { useMay, useSession } from '../../app/session';
import { Button, Empty, Loading, Trouble } from '../../ui/bits';
import { Choices } from '../../ui/Choices';
import { DayPage, PageHead, Stretch } from '../../ui/DayPage';
import { useKept } from '../../ui/kept';
import { useKeys } from '../../ui/keys';
import { Letter } from '../../ui/Letter';
import { StepMark } from '../../ui/TouchLine';
import { said } from '../../ui/undo';
import { count, date, moment, nearDay, time } from '../../ui/when';
import { type Mark, markTouch, saidDropped } from '../people/acts';
import { TouchMargin } from '../touches/TouchMargin';
import { OwnWords } from './OwnWords';

type Item = Schemas['ProofItem'];

const spans = [
  ['today', 'today'],
  ['tomorrow', 'until tomorrow night'],
  ['week', 'in the next seven days'],
] as const;

/** What has been said of a message, in words; in the order of the buttons. */
const stateOf = (i: Item) => (i.held ? 'held' : i.read ? 'fine' : i.waits ? 'waits to be read' : 'goes unread');

/** Messages as each recipient will read them, one after another by key, before they go. */
export default function ProofPage() {
  const queries = useQueryClient();
  const go = useNavigate();
  const members = useSession().data?.members ?? [];
  const mayWrite = useMay('write-programs');
  const [filter, setFilter] = useKept('proof.filter', { span: 'tomorrow', member: '' });
  const [picked, setPicked] = useState<string>();
  const [writing, setWriting] = useState<string>();
  const proof = useQuery({
    queryKey: ['proof', filter],
    queryFn: () => take(api.GET('/api/proof', { params: { query: { span: filter.span, member: filter.member || undefined } } })),
    placeholderData: (before) => before,
  });
  const items = proof.data?.items ?? [];
  const at = Math.max(
    0,
    items.findIndex((i) => i.touchId === picked),
  );
  const item = items[at];
  const show = (change: (i: Item) => Item, touchId: string) =>
    queries.setQueryData<Schemas['ProofDto']>(['proof', filter], (d) => {
      if (!d) return d;
      const next = d.items.map((i) => (i.touchId === touchId ? change(i) : i));
      return { ...d, items: next, unread: next.filter((i) => !i.read).length, waiting: next.filter((i) => !i.read && i.waits).length };
    });
  const again = () => {
    for (const key of ['proof', 'touch', 'today', 'almanac']) queries.invalidateQueries({ queryKey: [key] });
  };
  const goTo = (i: number) => {
    const to = items[Math.min(Math.max(i, 0), items.length - 1)];
    setPicked(to?.touchId);
    setWriting(undefined);
  };
  /** The next that nobody has read, from here on and then from the top; else simply the next. */
  const goOn = () => {
    const order = [...items.slice(at + 1), ...items.slice(0, at)];
    const next = order.find((i) => !i.read && !i.held) ?? items[at + 1];
    if (next) setPicked(next.touchId);
  };
  const mark = useMutation({
    meta: { says: ({ item: i, how }: { item: Item; how: Mark }) => `“${i.subject}” to ${i.person.name}: ${how}` },
    mutationFn: ({ item: i, how }: { item: Item; how: Mark }) => markTouch(i.touchId, i.person.id, how),
    onMutate: ({ item: i, how }) => {
      queries.cancelQueries({ queryKey: ['proof'] });
      if (how !== 'release') goOn();
      show((x) => ({ ...x, read: how === 'read', held: how === 'hold' }), i.touchId);
    },
    onSuccess: (done, { item: i, how }) => {
      again();
      if (how === 'drop') saidDropped(`“${i.subject}” to ${i.person.name}`, i.person.id, done, queries);
      else if (how !== 'release')
        said(`“${i.subject}” to ${i.person.name}: ${how === 'read' ? 'fine' : 'held'}`, async () => {
          await mark.mutateAsync({ item: i, how: i.held ? 'hold' : i.read ? 'read' : 'release' });
          setPicked(i.touchId);
        });
    },
    onError: (e) => {
      toast.error(e.message);
      again();
    },
  });
  const act = (how: Mark) => item && mark.mutate({ item, how });
  useKeys({
    j: () => goTo(at + 1),
    k: () => goTo(at - 1),
    ArrowDown: () => goTo(at + 1),
    ArrowUp: () => goTo(at - 1),
    f: () => act('read'),
    h: () => act(item?.held ? 'release' : 'hold'),
    d: () => act('drop'),
    w: () => item && setWriting(item.touchId),
    Enter: () => item && go(`/people/${item.person.id}`),
  });
  if (proof.isPending) return <Loading what="Laying out what goes" />;
  const p = proof.data;
  return (
    <DayPage
      marginTitle="Why"
      margin={item ? <TouchMargin touchId={item.touchId} personId={item.person.id} withLetter={false} /> : <p>Nothing to read.</p>}
    >
      <PageHead
        title="Proof"
        aside={
          p && (
            <>
              {count(p.inAll, 'message', 'messages')}, {p.unread} not read
              {p.waiting > 0 && `, ${p.waiting} ${p.waiting === 1 ? 'waits' : 'wait'} for it`}
            </>
          )
        }
      >
        <Choices
          choices={[
            { key: 'span', label: 'What is read', none: null, of: spans },
            {
              key: 'member',
              label: 'Whose',
              none: 'to everybody’s people',
              of: members.map((m) => [m.id, `to people of ${m.name}`] as const),
            },
          ]}
          values={filter}
          set={(key, value) => setFilter({ ...filter, [key]: value })}
        />
      </PageHead>
      <div className="px-7">
        <Trouble error={proof.error} />
      </div>
      {!item && <Empty>Nothing goes in these days. What programs have due stands here before it goes.</Empty>}
      {item && p && (
        <section aria-label={`To ${item.person.name}`} aria-live="polite" className="px-7 pt-2 pb-4">
          <p className="flex flex-wrap items-baseline gap-x-4 text-small">
            <span className="text-soft">
              {at + 1} of {items.length}
            </span>
            <span>
              to{' '}
              <Link to={`/people/${item.person.id}`} className="font-semibold text-ink">
                {item.person.name}
              </Link>
              , {moment(item.at, p.zone, p.now)} · {item.program}
            </span>
            <span className={item.held || (item.waits && !item.read) ? 'text-straw' : item.read ? 'text-leaf' : 'text-soft'}>
              {stateOf(item)}
              {item.reworded && ', in words of its own'}
            </span>
          </p>
          {writing === item.touchId ? (
            <OwnWords
              key={item.touchId}
              item={item}
              leave={() => setWriting(undefined)}
              kept={() => {
                setWriting(undefined);
                again();
              }}
            />
          ) : (
            <Sheet item={item} />
          )}
          <p className="mt-3 flex flex-wrap gap-x-5 gap-y-1">
            <Button onClick={() => act('read')} disabled={item.read && !item.held}>
              <kbd>f</kbd> Fine
            </Button>
            <Button onClick={() => act(item.held ? 'release' : 'hold')}>
              <kbd>h</kbd> {item.held ? 'Let it go' : 'Hold'}
            </Button>
            <Button look="plain" onClick={() => act('drop')}>
              <kbd>d</kbd> Drop
            </Button>
            <Button
              onClick={() => setWriting(writing === item.touchId ? undefined : item.touchId)}
              aria-expanded={writing === item.touchId}
            >
              <kbd>w</kbd> Other words, for {item.person.name} only
            </Button>
            {mayWrite && (
              <Link className="inline-flex min-h-6 items-center text-small" to={`/programs/${item.programId}?step=${item.stepId}`}>
                change them for all
              </Link>
            )}
          </p>
        </section>
      )}
      <Stretch title="In the order they go" note={p && p.inAll > items.length ? `the first ${items.length}` : undefined} />
      {items.map((i, n) => (
        <div key={i.touchId} className={`row flex items-baseline gap-4 ${n === at ? 'on' : ''}`} aria-current={n === at}>
          <span className="gutter">{p && whenOf(i, items[n - 1], p)}</span>
          <button type="button" data-pick className="flex min-w-0 flex-1 items-baseline gap-2.5" onClick={() => goTo(n)}>
            <span className="self-center">
              <StepMark kind={i.kind} color={i.read ? 'var(--leaf)' : i.held ? 'var(--straw)' : 'var(--ink-faint)'} />
            </span>
            <span className="min-w-0 truncate">
              {i.person.name} <span className="font-serif text-soft">{i.subject}</span>
            </span>
          </button>
          <span className={`text-small whitespace-nowrap ${i.held || (i.waits && !i.read) ? 'text-straw' : 'text-soft'}`}>
            {stateOf(i)}
          </span>
        </div>
      ))}
      <p className="border-t border-rule px-7 py-3 text-small text-soft">
        <kbd>j</kbd> <kbd>k</kbd> go through · <kbd>f</kbd> fine · <kbd>h</kbd> hold · <kbd>d</kbd> drop · <kbd>w</kbd> other words. What
        nobody has read goes when its time comes, unless its program says that it waits.
      </p>
    </DayPage>
  );
}

/** Its time; with its day where that is another than that of the one before. */
function whenOf(item: Item, before: Item | undefined, { zone, now }: { zone: string; now: string }) {
  const same = date(item.at, zone) === date(before?.at ?? now, zone);
  return same ? time(item.at, zone) : `${nearDay(item.at, zone, now)}, ${time(item.at, zone)}`;
}

/** One message as it arrives. */
function Sheet({ item }: { item: Item }) {
  const touch = useQuery({
    queryKey: ['touch', item.touchId],
    queryFn: () => take(api.GET('/api/touches/{id}', { params: { path: { id: item.touchId }, query: { person: item.person.id } } })),
  });
  if (touch.error) return <Trouble error={touch.error} />;
  const t = touch.data;
  return (
    <div className="mt-3 min-h-40 max-w-[640px] border border-rule bg-sheet px-5 py-4">
      <div className="mb-2 border-b border-rule pb-1.5 text-[12px] text-soft">
        {t ? `from ${t.from ?? 'nobody'} to ${t.to ?? 'no address'}` : 'Opening it …'}
      </div>
      <div className="mb-2 font-serif text-lg font-semibold">{t?.subject ?? (item.kind === 'email' ? item.subject : '')}</div>
      {t?.html && <Letter html={t.html} title={`What ${item.person.name} reads`} />}
    </div>
  );
}
