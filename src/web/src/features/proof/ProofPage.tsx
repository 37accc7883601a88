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
import { date, moment, nearDay, time } from '../../ui/when';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { type Mark, markTouch, saidDropped } from '../people/acts';
import { TouchMargin } from '../touches/TouchMargin';
import { OwnWords } from './OwnWords';

type Item = Schemas['ProofItem'];

const spans = [
  ['today', phrase('today')],
  ['tomorrow', phrase('until tomorrow night')],
  ['week', phrase('in the next seven days')],
] as const;

/** What has been said of a message, in words; in the order of the buttons. */
const stateOf = (i: Item) =>
  i.held ? phrase('held') : i.read ? phrase('fine') : i.waits ? phrase('waits to be read') : phrase('goes unread');

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
    meta: {
      says: ({ item: i, how }: { item: Item; how: Mark }) =>
        phrase('“{subject}” to {person}: {how}', { subject: i.subject, person: i.person.name, how }),
    },
    mutationFn: ({ item: i, how }: { item: Item; how: Mark }) => markTouch(i.touchId, i.person.id, how),
    onMutate: ({ item: i, how }) => {
      queries.cancelQueries({ queryKey: ['proof'] });
      if (how !== 'release') goOn();
      show((x) => ({ ...x, read: how === 'read', held: how === 'hold' }), i.touchId);
    },
    onSuccess: (done, { item: i, how }) => {
      again();
      if (how === 'drop')
        saidDropped(phrase('“{subject}” to {person}', { subject: i.subject, person: i.person.name }), i.person.id, done, queries);
      else if (how !== 'release')
        said(
          phrase('“{subject}” to {person}: {how, select, true {fine} other {held}}', {
            subject: i.subject,
            person: i.person.name,
            how: String(how === 'read'),
          }),
          async () => {
            await mark.mutateAsync({ item: i, how: i.held ? 'hold' : i.read ? 'read' : 'release' });
            setPicked(i.touchId);
          },
        );
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
  if (proof.isPending) return <Loading what={phrase('Laying out what goes')} />;
  const p = proof.data;
  return (
    <DayPage
      marginTitle={phrase('Why')}
      margin={
        item ? <TouchMargin touchId={item.touchId} personId={item.person.id} withLetter={false} /> : <p>{phrase('Nothing to read.')}</p>
      }
    >
      <PageHead
        title={phrase('Proof')}
        aside={
          p && (
            <Sentence
              m="{inAll, plural, one {# message} other {# messages}}, {unread, number} not read{waiting}"
              v={{
                inAll: p.inAll,
                unread: p.unread,
                waiting:
                  p.waiting > 0 && phrase(', {waiting, number} {waiting, plural, one {waits} other {wait}} for it', { waiting: p.waiting }),
              }}
            />
          )
        }
      >
        <Choices
          choices={[
            { key: 'span', label: phrase('What is read'), none: null, of: spans },
            {
              key: 'member',
              label: phrase('Whose'),
              none: phrase('to everybody’s people'),
              of: members.map((m) => [m.id, phrase('to people of {member}', { member: m.name })] as const),
            },
          ]}
          values={filter}
          set={(key, value) => setFilter({ ...filter, [key]: value })}
        />
      </PageHead>
      <div className="px-7">
        <Trouble error={proof.error} />
      </div>
      {!item && <Empty>{phrase('Nothing goes in these days. What programs have due stands here before it goes.')}</Empty>}
      {item && p && (
        <section aria-label={phrase('To {person}', { person: item.person.name })} aria-live="polite" className="px-7 pt-2 pb-4">
          <p className="flex flex-wrap items-baseline gap-x-4 text-small">
            <span className="text-soft">{phrase('{at, number} of {items, number}', { at: at + 1, items: items.length })}</span>
            <span>
              <Sentence
                m="to {link}, {at} · {program}"
                v={{
                  link: (
                    <Link to={`/people/${item.person.id}`} className="font-semibold text-ink">
                      {item.person.name}
                    </Link>
                  ),
                  at: moment(item.at, p.zone, p.now),
                  program: item.program,
                }}
              />
            </span>
            <span className={item.held || (item.waits && !item.read) ? 'text-straw' : item.read ? 'text-leaf' : 'text-soft'}>
              {stateOf(item)}
              {item.reworded && phrase(', in words of its own')}
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
              <kbd>f</kbd> {phrase('Fine')}
            </Button>
            <Button onClick={() => act(item.held ? 'release' : 'hold')}>
              <kbd>h</kbd> {item.held ? phrase('Let it go') : phrase('Hold')}
            </Button>
            <Button look="plain" onClick={() => act('drop')}>
              <kbd>d</kbd> {phrase('Drop')}
            </Button>
            <Button
              onClick={() => setWriting(writing === item.touchId ? undefined : item.touchId)}
              aria-expanded={writing === item.touchId}
            >
              <Sentence m="{kbd} Other words, for {person} only" v={{ kbd: <kbd>w</kbd>, person: item.person.name }} />
            </Button>
            {mayWrite && (
              <Link className="inline-flex min-h-6 items-center text-small" to={`/programs/${item.programId}?step=${item.stepId}`}>
                {phrase('change them for all')}
              </Link>
            )}
          </p>
        </section>
      )}
      <Stretch
        title={phrase('In the order they go')}
        note={p && p.inAll > items.length ? phrase('the first {items, number}', { items: items.length }) : undefined}
      />
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
        <Sentence
          m="{kbd} {kbd2} go through · {kbd3} fine · {kbd4} hold · {kbd5} drop · {kbd6} other words. What nobody has read goes when its time comes, unless its program says that it waits."
          v={{ kbd: <kbd>j</kbd>, kbd2: <kbd>k</kbd>, kbd3: <kbd>f</kbd>, kbd4: <kbd>h</kbd>, kbd5: <kbd>d</kbd>, kbd6: <kbd>w</kbd> }}
        />
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
        {t ? phrase('from {from} to {to}', { from: t.from ?? phrase('nobody'), to: t.to ?? phrase('no address') }) : phrase('Opening it …')}
      </div>
      <div className="mb-2 font-serif text-lg font-semibold">{t?.subject ?? (item.kind === 'email' ? item.subject : '')}</div>
      {t?.html && <Letter html={t.html} title={phrase('What {person} reads', { person: item.person.name })} />}
    </div>
  );
}
