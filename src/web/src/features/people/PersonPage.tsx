import { type QueryClient, useInfiniteQuery, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { type Dispatch, type ReactNode, type SetStateAction, useState } from 'react';
import { Link, useParams, useSearchParams } from 'react-router';
import { toast } from 'sonner';
import { api, type Schemas, take } from '../../api/client';
import { useMay, useNow, useSession } from '../../app/session';
import { Button, Dial, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead } from '../../ui/DayPage';
import { keptUnder, useKept } from '../../ui/kept';
import { useKeys } from '../../ui/keys';
import { sayOwn } from '../../ui/OwnFieldInput';
import { StepMark } from '../../ui/TouchLine';
import { said } from '../../ui/undo';
import { day, daysBetween, keyDate, moment, nearDay, placeOf, time } from '../../ui/when';
import { codeWord } from '../../words/codes';
import { phrase, quoted } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { asThePractice, tongueName } from '../../words/TongueField';
import { ownDate, ownText } from '../rules/ruleLanguage';
import { TouchMargin } from '../touches/TouchMargin';
import { type ActKind, actOn, doAct, putBack, undoAct, undoEvent, undoMerge } from './acts';
import { ChangeField } from './ChangeField';
import { CirclePart } from './Circle';
import { DealingsPart, ListsPart } from './Dealings';
import { EditPerson, keptEdit } from './EditPerson';
import { MayWe, Stopped } from './MayWe';
import { OnNow } from './OnNow';
import { PersonLine } from './PersonLine';
import { usePersonChange } from './usePersonChange';
import { WholePerson } from './WholePerson';

type Person = Schemas['PersonDto'];
type Line = Schemas['ThreadLine'];
type Doing = 'remark' | 'answer' | 'stage' | 'tag' | 'program' | undefined;
type Asked = { what: NonNullable<Doing>; text: string; channel: string };

/** A person: who they are, what may be sent, and the thread with now in its middle. */
export default function PersonPage() {
  const { id = '' } = useParams();
  const [query, setQuery] = useSearchParams();
  const person = useQuery({ queryKey: ['person', id], queryFn: () => take(api.GET('/api/people/{id}', { params: { path: { id } } })) });
  const thread = useInfiniteQuery({
    queryKey: ['thread', id],
    initialPageParam: undefined as string | undefined,
    queryFn: ({ pageParam }) => take(api.GET('/api/people/{id}/thread', { params: { path: { id }, query: { before: pageParam } } })),
    getNextPageParam: (page) => page.next ?? undefined,
  });
  const seesJournal = useMay('see-journal');
  const [picked, setPicked] = useState<string>();
  const [doing, setDoing] = useState<Doing>();
  const [editing, setEditing] = useState(query.has('edit') || keptUnder(keptEdit(id)) !== undefined);
  const [allComing, setAllComing] = useState(false);

  useKeys({
    r: () => setDoing('remark'),
    a: () => setDoing('answer'),
    s: () => setDoing('stage'),
    t: () => setDoing('tag'),
    p: () => setDoing('program'),
    e: () => setEditing(true),
    Escape: () => {
      setDoing(undefined);
      setPicked(undefined);
    },
  });

  if (person.error) {
    return (
      <DayPage marginTitle={phrase('About')} margin={null}>
        <PageHead title={phrase('Nobody here')} />
        <div className="px-7">
          <Trouble error={person.error} />
        </div>
      </DayPage>
    );
  }
  if (!person.data || !thread.data) return <Loading />;

  const p = person.data;
  const first = thread.data.pages[0] as Schemas['ThreadDto'];
  const past = thread.data.pages.flatMap((page) => page.past);
  const near = allComing ? first.coming : first.coming.slice(0, 5);
  const later = first.coming.length - near.length;
  const coming = [...near].reverse();
  const line = [...first.coming, ...past].find((l) => l.id === picked);

  return (
    <DayPage
      marginTitle={phrase('About {firstName}', { firstName: p.firstName ?? phrase('them') })}
      margin={
        line?.touchId ? (
          <>
            <Button look="plain" className="mb-2" onClick={() => setPicked(undefined)}>
              {phrase('back to {firstName}', { firstName: p.firstName ?? phrase('the person') })}
            </Button>
            <TouchMargin touchId={line.touchId} personId={p.id} showPerson={false} />
          </>
        ) : (
          <About person={p} edit={() => setEditing(true)} />
        )
      }
    >
      <PageHead title={p.name} aside={asideOf(p, first.now)}>
        <PersonLine coming={first.coming} past={past} now={first.now} zone={first.zone} />
      </PageHead>
      {(p.doNotContact || p.died) && <Stopped person={p} />}
      {editing && (
        <EditPerson
          person={p}
          focus={query.get('edit') ?? ''}
          leave={() => {
            setEditing(false);
            setQuery({}, { replace: true });
          }}
        />
      )}
      <Actions person={p} doing={doing} setDoing={setDoing} edit={() => setEditing(true)} />
      <ol aria-label={phrase('Thread')} className="m-0 list-none p-0">
        {later > 0 && (
          <li className="row">
            <Button onClick={() => setAllComing(true)}>
              {phrase('and {later, number} more until {zone}', {
                later,
                zone: day(first.coming.at(-1)?.at ?? first.now, first.zone, first.now),
              })}
            </Button>
          </li>
        )}
        {coming.map((l) => (
          <Touch
            key={l.id}
            person={p.id}
            line={l}
            zone={first.zone}
            now={first.now}
            coming
            on={picked === l.id}
            pick={l.touchId ? () => setPicked(picked === l.id ? undefined : l.id) : undefined}
          />
        ))}
        {coming.length === 0 && (
          <li className="row font-serif text-soft">
            {p.died
              ? phrase('They have died. Nothing goes to them any more.')
              : p.doNotContact
                ? phrase('Nothing is planned, and nothing starts while they are not to be contacted.')
                : phrase('Nothing is planned. Start a program, or let one start by a tag or a stage.')}
          </li>
        )}
        <li className="relative bg-leaf px-7 py-[3px] text-small font-semibold text-on-leaf max-[699px]:px-4" id="now">
          <span className="gutter absolute top-[3px] -left-28 w-[98px] text-right font-normal text-leaf max-[699px]:static max-[699px]:mr-2 max-[699px]:text-on-leaf">
            {time(first.now, first.zone)}{' '}
          </span>
          {phrase('Now')}
        </li>
        {past.map((l, i) => (
          <Touch
            key={l.id}
            person={p.id}
            line={l}
            zone={first.zone}
            now={first.now}
            sameDay={i > 0 && day(past[i - 1]?.at ?? '', first.zone) === day(l.at, first.zone)}
            on={picked === l.id}
            pick={l.touchId ? () => setPicked(picked === l.id ? undefined : l.id) : undefined}
          />
        ))}
      </ol>
      {thread.hasNextPage ? (
        <div className="row">
          <Button onClick={() => thread.fetchNextPage()} disabled={thread.isFetchingNextPage}>
            {phrase('earlier')}
          </Button>
        </div>
      ) : (
        <p className="row text-small text-soft">
          {phrase('In Germinal since {addedAt}.', { addedAt: day(p.addedAt, first.zone, first.now) })}
        </p>
      )}
      {seesJournal && (
        <p className="row text-small">
          <Link to={`/journal?person=${p.id}`}>{phrase('Who did what to this person')}</Link>
        </p>
      )}
    </DayPage>
  );
}

function asideOf(p: Person, now: string) {
  const words = [];
  if (p.stage)
    words.push(
      `${p.stage.split('/')[1]}${p.stageSince ? phrase(' since {stageSince}', { stageSince: nearDay(p.stageSince, p.clockZone, now) }) : ''}`,
    );
  if (p.tags.length > 0) words.push(p.tags.join(', '));
  if (p.source)
    words.push(
      phrase('from {source, select, true {} other {the }}{source2}', { source: String(/^(a|the|an) /i.test(p.source)), source2: p.source }),
    );
  return words.join(' · ');
}

function Touch({
  person,
  line,
  zone,
  now,
  coming = false,
  on,
  pick,
  sameDay = false,
}: {
  person: string;
  sameDay?: boolean;
  line: Line;
  zone: string;
  now: string;
  coming?: boolean;
  on: boolean;
  pick?: () => void;
}) {
  const remark = line.kind === 'remark';
  const said = line.kind === 'replied' && line.detail;
  const { trouble } = line;
  // Beside the line, not in it: a button holds no other button.
  const back = (
    <>
      {line.act && <TakeBack what={line.title} back={(q) => undoAct(line.act ?? '', q)} />}
      {line.event && <TakeBack what={line.title} back={(q) => undoEvent(person, line.event ?? 0, q)} />}
      {line.touchId && line.status === 'done' && <TakeBack what={line.title} back={(q) => putBack(line.touchId ?? '', q)} />}
      {line.merge && <TakeBack what={line.title} back={(q) => undoMerge(line.merge ?? '', q)} />}
    </>
  );
  const body = (
    <span className="grid grid-cols-[22px_minmax(0,1fr)_auto] items-baseline gap-x-1">
      <span className="self-start pt-0.5">
        <StepMark kind={line.kind} color={trouble ? 'var(--ember)' : coming ? 'var(--ink-faint)' : 'var(--ink)'} />
      </span>
      <span className="min-w-0">
        <span
          className={
            line.touchId
              ? `font-serif ${coming ? 'text-soft' : ''} ${coming && line.willNot ? 'line-through' : ''}`
              : remark
                ? 'font-serif italic'
                : ''
          }
        >
          {line.title}
        </span>
        {line.beside && <span className="text-small text-soft"> {line.beside}</span>}
        {said ? (
          <span className="block font-serif italic">{quoted(line.detail ?? '')}</span>
        ) : (
          line.detail && <span className="block text-small text-soft">{line.detail}</span>
        )}
        {line.quoted && (
          <details className="text-small text-soft">
            <summary className="cursor-pointer">{phrase('what it quotes')}</summary>
            <span className="block whitespace-pre-line font-serif">{line.quoted}</span>
          </details>
        )}
      </span>
      <span className={`text-small ${trouble ? 'text-ember' : 'text-soft'}`}>
        {(line.status === 'sent' ? phrase('sent {at}', { at: time(line.at, zone) }) : codeWord(line.status ?? '')) ||
          (line.touchId ? line.program : (line.by ?? (line.kind === 'started' ? phrase('by itself') : '')))}
      </span>
    </span>
  );
  return (
    <li className={`row ${on ? 'on' : ''}`}>
      <span className="gutter" title={moment(line.at, zone)}>
        {sameDay ? time(line.at, zone) : nearDay(line.at, zone, now)}
        {!sameDay && coming && daysBetween(now, line.at, zone) === 0 ? `, ${time(line.at, zone)}` : ''}
      </span>
      <div className="flex items-baseline gap-3">
        {pick ? (
          <button type="button" className="block min-w-0 flex-1" aria-expanded={on} onClick={pick}>
            {body}
          </button>
        ) : (
          <div className="min-w-0 flex-1">{body}</div>
        )}
        {back}
      </div>
    </li>
  );
}

/** The way back of what a member did, on its own line. */
function TakeBack({ what, back }: { what: string; back: (queries: QueryClient) => Promise<string> }) {
  const queries = useQueryClient();
  const undo = useMutation({
    meta: { says: () => phrase('taken back: {what}', { what }) },
    mutationFn: () => back(queries),
    onSuccess: (words) => toast(words),
    onError: (e) => toast.error(e.message),
  });
  return (
    <Button look="plain" disabled={undo.isPending} onClick={() => undo.mutate()} aria-label={phrase('undo: {what}', { what })}>
      {phrase('undo')}
    </Button>
  );
}

function Actions({
  person,
  doing,
  setDoing,
  edit,
}: {
  person: Person;
  doing: Doing;
  setDoing: Dispatch<SetStateAction<Doing>>;
  edit: () => void;
}) {
  const session = useSession().data;
  const programs = useQuery({ queryKey: ['programs'], queryFn: () => take(api.GET('/api/programs')) });
  // What is written stays where it was written, whatever else is looked at meanwhile.
  const [texts, setTexts] = useKept<Partial<Record<NonNullable<Doing>, string>>>(`words.${person.id}`, {});
  const text = (doing && texts[doing]) ?? '';
  const setText = (words: string) => doing && setTexts({ ...texts, [doing]: words });
  const [channel, setChannel] = useState('email');
  const queries = useQueryClient();
  const whom = { ids: [person.id] };
  const path = { params: { path: { id: person.id } } };
  // What is done is handed over as it was asked for: it may wait for the connection while other words are written.
  const says = ({ what, text }: Asked) => {
    const stage = text.split('/')[1] ?? text;
    const program = programs.data?.find((p) => p.id === text)?.name ?? phrase('a program');
    const words = {
      remark: phrase('a remark'),
      answer: phrase('an answer'),
      stage: phrase('moved to {stage}', { stage }),
      tag: phrase('the tag “{tag}”', { tag: text.trim() }),
      program: phrase('“{program}” started', { program }),
    };
    return `${person.name}: ${words[what]}`;
  };
  const act = usePersonChange(person.id, says, async ({ what, text, channel }: Asked) => {
    if (what === 'remark') await take(api.POST('/api/people/{id}/remarks', { ...path, body: { text } }));
    if (what === 'answer') await take(api.POST('/api/people/{id}/replies', { ...path, body: { channel, text } }));
    const one = async (kind: ActKind, words: string) => {
      const { act: id } = await doAct(kind, actOn(whom, kind, text));
      if (id) said(words, () => undoAct(id, queries));
    };
    if (what === 'stage') await one('stage', phrase('{person} moved to {split}', { person: person.name, split: text.split('/')[1] }));
    if (what === 'tag') await one('tag', phrase('“{text}” put on {person}', { text: text.trim(), person: person.name }));
    if (what === 'program')
      await one(
        'start',
        phrase('“{name}” asked to start for {person}', { name: programs.data?.find((p) => p.id === text)?.name, person: person.name }),
      );
    setTexts((now) => (now[what] === text ? { ...now, [what]: '' } : now));
    setDoing((now) => (now === what ? undefined : now));
  });
  const words: [NonNullable<Doing>, string, string][] = [
    ['remark', 'R', phrase('write a remark')],
    ['answer', 'A', phrase('they answered')],
    ['stage', 'S', phrase('move stage')],
    ['tag', 'T', phrase('tag‹put›')],
    ['program', 'P', phrase('start a program')],
  ];
  const select = (label: string, options: [string, string][]): ReactNode => (
    <select aria-label={label} autoFocus className="min-w-60" value={text} onChange={(e) => setText(e.target.value)}>
      <option value="">{phrase('choose')}</option>
      {options.map(([v, n]) => (
        <option key={v} value={v}>
          {n}
        </option>
      ))}
    </select>
  );
  return (
    <div className="row text-small text-soft">
      <div className="flex flex-wrap gap-x-4 gap-y-1">
        {words.map(([what, key, word]) => (
          <button
            key={what}
            type="button"
            aria-expanded={doing === what}
            onClick={() => setDoing(doing === what ? undefined : what)}
            className={`min-h-6 ${doing === what ? 'font-semibold text-ink' : 'hover:text-ink'}`}
          >
            <kbd>{key}</kbd> {word}
          </button>
        ))}
        <button type="button" onClick={edit} className="min-h-6 hover:text-ink">
          <kbd>E</kbd> {phrase('edit')}
        </button>
      </div>
      {doing && (
        <form
          className="mt-2 flex flex-wrap items-start gap-3 text-ink"
          onSubmit={(e) => {
            e.preventDefault();
            act.mutate({ what: doing, text, channel });
          }}
        >
          {doing === 'remark' && (
            <textarea
              aria-label={phrase('Remark')}
              autoFocus
              rows={3}
              className="min-w-0 flex-1 font-serif text-base"
              value={text}
              onChange={(e) => setText(e.target.value)}
            />
          )}
          {doing === 'answer' && (
            <>
              <select aria-label={phrase('How they answered')} value={channel} onChange={(e) => setChannel(e.target.value)}>
                <option value="email">{phrase('by email')}</option>
                <option value="text">{phrase('by text')}</option>
                <option value="call">{phrase('on the phone')}</option>
                <option value="post">{phrase('by post')}</option>
              </select>
              <input
                aria-label={phrase('What they said')}
                placeholder={phrase('what they said')}
                autoFocus
                className="min-w-0 flex-1 font-serif"
                value={text}
                onChange={(e) => setText(e.target.value)}
              />
            </>
          )}
          {doing === 'stage' &&
            select(
              phrase('Stage'),
              (session?.stages ?? []).filter((s) => s !== person.stage).map((s) => [s, s.split('/')[1] ?? s]),
            )}
          {doing === 'program' &&
            select(
              phrase('Program'),
              (programs.data ?? []).filter((p) => p.status === 'on').map((p) => [p.id, p.name]),
            )}
          {doing === 'tag' && (
            <>
              <input
                aria-label={phrase('Tag')}
                autoFocus
                list="tags-known"
                className="min-w-60"
                value={text}
                onChange={(e) => setText(e.target.value)}
              />
              <datalist id="tags-known">
                {session?.tags.map((t) => (
                  <option key={t} value={t} />
                ))}
              </datalist>
            </>
          )}
          <Button type="submit" look="main" disabled={act.isPending || (doing !== 'answer' && !text.trim())}>
            {doing === 'remark'
              ? phrase('Write')
              : doing === 'answer'
                ? phrase('Record')
                : doing === 'stage'
                  ? phrase('Move')
                  : doing === 'tag'
                    ? phrase('Put on')
                    : phrase('Start')}
          </Button>
          <Button look="plain" onClick={() => setDoing(undefined)}>
            {phrase('leave it')}
          </Button>
        </form>
      )}
      {doing && <Trouble error={act.error} />}
    </div>
  );
}

function About({ person: p, edit }: { person: Person; edit: () => void }) {
  const { now } = useNow();
  const theirClock = new Date(now);
  const queries = useQueryClient();
  // Whoever likes to see it all sees it at the next person too.
  const [more, setMore] = useKept('person-more', false);
  const untag = usePersonChange(
    p.id,
    (tag: string) => phrase('“{tag}” taken off {name}', { tag, name: p.name }),
    (tag) =>
      doAct('untag', actOn({ ids: [p.id] }, 'untag', tag)).then(({ act: id }) => {
        if (id) said(phrase('“{tag}” taken off {name}', { tag, name: p.name }), () => undoAct(id, queries));
      }),
  );
  return (
    <>
      <h3>
        <Sentence
          m="Reach them <button>edit</button>"
          v={{
            button: (c) => (
              <Button className="ml-2 font-normal" onClick={edit}>
                {c}
              </Button>
            ),
          }}
        />
      </h3>
      <dl className="kv">
        <dt>
          <ChangeField person={p} field="email" name={phrase('email')} />
        </dt>
        <dd>{p.email ?? <i>{phrase('none')}</i>}</dd>
        {p.otherEmail && (
          <>
            <dt>{phrase('other')}</dt>
            <dd>{p.otherEmail}</dd>
          </>
        )}
        <dt>
          <ChangeField person={p} field="mobile" name={phrase('mobile')} />
        </dt>
        <dd>{p.mobile ? <Dial number={p.mobile} extension={p.mobileExtension} /> : <i>{phrase('none')}</i>}</dd>
        {p.otherPhone && (
          <>
            <dt>
              <ChangeField person={p} field="otherPhone" name={phrase('other number')} />
            </dt>
            <dd>
              <Dial number={p.otherPhone} extension={p.otherPhoneExtension} />
            </dd>
          </>
        )}
        <dt>
          <ChangeField person={p} field="zone" name={phrase('their clock')} />
        </dt>
        <dd>{`${time(theirClock.toISOString(), p.clockZone)}${p.zone ? `, ${placeOf(p.zone)}` : phrase(', same as here')}`}</dd>
        <dt>
          <ChangeField person={p} field="tongue" name={phrase('their language')} />
        </dt>
        <dd>{p.tongue ? tongueName(p.tongue) : asThePractice()}</dd>
        <dt>
          <ChangeField person={p} field="address" name={phrase('address')} />
        </dt>
        <dd className="whitespace-pre-line">{p.address ?? <i>{phrase('none')}</i>}</dd>
        <dt>
          <ChangeField person={p} field="owner" name={phrase('owner')} />
        </dt>
        <dd>{p.owner ?? <i>{phrase('nobody')}</i>}</dd>
        {p.tags.length > 0 && (
          <>
            <dt>{phrase('tags')}</dt>
            <dd>
              {p.tags.map((t) => (
                <span key={t} className="mr-2 inline-block whitespace-nowrap">
                  {t}
                  <button
                    type="button"
                    className="ml-1 text-soft hover:text-ember"
                    aria-label={phrase('Take the tag {t} off', { t })}
                    onClick={() => untag.mutate(t)}
                  >
                    ×
                  </button>
                </span>
              ))}
            </dd>
          </>
        )}
      </dl>
      <h3>{phrase('Dates')}</h3>
      {p.dates.length === 0 ? (
        <p className="mt-1 mb-4 text-soft">{phrase('none known')}</p>
      ) : (
        <dl className="kv">
          {p.dates.map((d) => (
            <div key={d.name} className="contents">
              <dt>
                <ChangeField person={p} field={ownDate + d.name} name={d.name === 'birthday' ? phrase('born') : d.name} />
              </dt>
              <dd>{keyDate(d.date)}</dd>
            </div>
          ))}
        </dl>
      )}
      <MayWe person={p} />
      <OnNow person={p} />
      <DealingsPart personId={p.id} name={p.name} zone={p.clockZone} />
      <details className="mt-4" open={more} onToggle={(e) => setMore(e.currentTarget.open)}>
        <summary className="cursor-pointer text-leaf">
          <Sentence
            m="More about {firstName}{more}"
            v={{
              firstName: p.firstName ?? phrase('them'),
              more: !more && (
                <span className="block text-small text-soft">{phrase('what we know, who is around them, lists, as a whole')}</span>
              ),
            }}
          />
        </summary>
        <div className="mt-3">{more && <Rest person={p} />}</div>
      </details>
    </>
  );
}

/** What is asked for less often, so that what is asked for most stands together. */
function Rest({ person: p }: { person: Person }) {
  return (
    <>
      {p.own.length > 0 && (
        <>
          <h3>{phrase('What we know')}</h3>
          <dl className="kv">
            {p.own.map((f) => (
              <div key={f.key} className="contents">
                <dt>
                  <ChangeField person={p} field={ownText + f.key} name={f.name} />
                </dt>
                <dd>{f.value ? sayOwn(f.kind, f.value) : <i>{phrase('not known')}</i>}</dd>
              </div>
            ))}
          </dl>
        </>
      )}
      <CirclePart person={p} />
      <ListsPart personId={p.id} lists={p.lists} />
      <WholePerson personId={p.id} name={p.name} />
    </>
  );
}
