import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { api, type Schemas, take } from '../../api/client';
import { useMay, useMemberName, useNow, useSession } from '../../app/session';
import { Button, Empty, Field, fieldError, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead } from '../../ui/DayPage';
import { useKeys } from '../../ui/keys';
import { said } from '../../ui/undo';
import { moment } from '../../ui/when';
import { phrase } from '../../words/phrase';
import { MeetingWords } from './MeetingWords';
import { OwnCalendars } from './OwnCalendars';

export type Meeting = Schemas['MeetingPageDto'];

/** Pages on which anybody chooses a time to meet a member: when one is free, how long, how soon, how many. */
export default function MeetingsPage() {
  const queries = useQueryClient();
  const meetings = useQuery({ queryKey: ['meetings'], queryFn: () => take(api.GET('/api/meetings')) });
  const [picked, setPicked] = useState<string>();
  const pages = meetings.data?.pages ?? [];
  const on = pages.find((p) => p.id === picked) ?? pages[0];
  const at = pages.findIndex((p) => p.id === on?.id);
  const pickAt = (n: number) => setPicked(pages[Math.max(0, Math.min(pages.length - 1, n))]?.id);
  useKeys({ j: () => pickAt(at + 1), k: () => pickAt(at - 1) });
  const put = (page: Meeting) => {
    // What was asked for before this was kept would bring back the edition before.
    queries.cancelQueries({ queryKey: ['meetings'] });
    queries.setQueryData<Schemas['MeetingPagesDto']>(
      ['meetings'],
      (old) => old && { ...old, pages: old.pages.map((p) => (p.id === page.id ? page : p)) },
    );
  };
  const save = useMutation({
    meta: { says: () => phrase('the times one can choose') },
    mutationFn: ({ page, part }: { page: Meeting; part: Partial<Schemas['MeetingBody']> }) =>
      take(api.PUT('/api/meetings/{id}', { params: { path: { id: page.id } }, body: { ...bodyOf(page), ...part } })),
    onSuccess: put,
  });
  if (meetings.isPending) return <Loading what={phrase('Opening the times one can choose')} />;
  const set = (page: Meeting) => (part: Partial<Schemas['MeetingBody']>) => {
    const before = bodyOf(page);
    save.mutate(
      { page, part },
      {
        onSuccess: (after) =>
          said(phrase('It is kept.'), () => save.mutateAsync({ page: after, part: { ...before, edition: after.edition } })),
      },
    );
  };
  return (
    <DayPage
      marginTitle={phrase('Its page')}
      margin={
        on ? (
          <Margin key={on.id} page={on} set={set(on)} />
        ) : (
          <p>{phrase('A page on which anybody chooses a time to meet you. Give the first one a title.')}</p>
        )
      }
    >
      <PageHead title={phrase('Times to choose')} aside={<Link to="/inquiries">{phrase('Inquiries')}</Link>} />
      <Trouble error={meetings.error} />
      <Begin done={setPicked} />
      {pages.length === 0 && (
        <Empty>{phrase('There is none yet. “A first meeting”, say: it begins with your working mornings, and an hour each.')}</Empty>
      )}
      {pages.map((p) => (
        <Page
          key={p.id}
          page={p}
          types={meetings.data?.types ?? []}
          on={p.id === on?.id}
          pick={() => setPicked(p.id)}
          set={set(p)}
          error={save.variables?.page.id === p.id ? save.error : null}
        />
      ))}
      <OwnCalendars />
    </DayPage>
  );
}

/** What is saved as a whole, out of what was read. */
const bodyOf = (p: Meeting): Schemas['MeetingBody'] => ({
  edition: p.edition,
  title: p.title,
  words: p.words,
  type: p.type,
  place: p.place,
  minutes: p.minutes,
  gapMinutes: p.gapMinutes,
  noticeHours: p.noticeHours,
  mostADay: p.mostADay,
  aheadDays: p.aheadDays,
  hours: p.hours,
  shown: p.shown,
});

function Begin({ done }: { done: (id: string) => void }) {
  const queries = useQueryClient();
  const session = useSession().data;
  const mayOthers = useMay('change-settings');
  const [title, setTitle] = useState('');
  const [member, setMember] = useState(session?.member?.id ?? '');
  const begin = useMutation({
    mutationFn: () => take(api.POST('/api/meetings', { body: { title, member: member || null } })),
    onSuccess: (page) => {
      setTitle('');
      done(page.id);
      return queries.invalidateQueries({ queryKey: ['meetings'] });
    },
  });
  const field = ['title', 'type', 'hours', 'member'].map((f) => fieldError(begin.error, f)).find(Boolean);
  return (
    <>
      <form
        className="mb-3 flex flex-wrap items-end gap-3 px-7 max-[699px]:px-4"
        onSubmit={(e) => {
          e.preventDefault();
          if (title.trim()) begin.mutate();
        }}
      >
        <Field label={phrase('A new page')} error={field}>
          {(id, by) => (
            <input
              id={id}
              aria-describedby={by}
              placeholder={phrase('A first meeting')}
              value={title}
              onChange={(e) => setTitle(e.target.value)}
            />
          )}
        </Field>
        {mayOthers && (
          <Field label={phrase('Whom one meets')}>
            {(id) => (
              <select id={id} value={member} onChange={(e) => setMember(e.target.value)}>
                {session?.members.map((m) => (
                  <option key={m.id} value={m.id}>
                    {m.name}
                  </option>
                ))}
              </select>
            )}
          </Field>
        )}
        <Button type="submit" look="main" disabled={!title.trim() || begin.isPending}>
          {phrase('Begin it')}
        </Button>
      </form>
      {!field && <Trouble error={begin.error} />}
    </>
  );
}

function Page({
  page: p,
  types,
  on,
  pick,
  set,
  error,
}: {
  page: Meeting;
  types: readonly string[];
  on: boolean;
  pick: () => void;
  set: (part: Partial<Schemas['MeetingBody']>) => void;
  error: unknown;
}) {
  const name = useMemberName();
  const { now, zone } = useNow();
  const session = useSession().data;
  const may = useMay('change-settings') || p.member === session?.member?.id;
  return (
    <div className={`row ${on ? 'on' : ''}`}>
      <p className="m-0 flex items-baseline gap-4">
        <button type="button" data-pick className="min-w-0 flex-1 text-left font-serif" aria-expanded={on} onClick={pick}>
          {p.title}
        </button>
        <span className="text-small text-soft">
          {phrase('with {member} · {shown}{chosen}', {
            member: name(p.member),
            shown: p.shown
              ? p.next[0]
                ? phrase('next {next}', { next: moment(p.next[0], zone, now) })
                : phrase('no time is free')
              : phrase('nobody sees it yet'),
            chosen: p.chosen > 0 ? phrase(' · {chosen, number} chosen', { chosen: p.chosen }) : '',
          })}
        </span>
      </p>
      {on && <MeetingWords page={p} types={types} set={set} may={may} error={error} />}
    </div>
  );
}

function Margin({ page: p, set }: { page: Meeting; set: (part: Partial<Schemas['MeetingBody']>) => void }) {
  const queries = useQueryClient();
  const { now, zone } = useNow();
  const session = useSession().data;
  const may = useMay('change-settings') || p.member === session?.member?.id;
  const remove = useMutation({
    mutationFn: () => take(api.DELETE('/api/meetings/{id}', { params: { path: { id: p.id } } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['meetings'] }),
  });
  return (
    <>
      <p className="m-0">{p.shown ? phrase('Everybody can open it.') : phrase('Nobody sees it yet.')}</p>
      {may && (
        <p className="mt-2 flex flex-wrap gap-x-4">
          {p.shown ? (
            <Button look="plain" onClick={() => set({ shown: false })}>
              {phrase('take it back')}
            </Button>
          ) : (
            <>
              <Button look="main" onClick={() => set({ shown: true })}>
                {phrase('Show it to everybody')}
              </Button>
              <Button look="danger" disabled={remove.isPending} onClick={() => remove.mutate()}>
                {phrase('throw it away')}
              </Button>
            </>
          )}
        </p>
      )}
      <Trouble error={remove.error} />
      {p.shown && (
        <>
          <p className="mt-2 text-small break-all">
            <a href={p.address} target="_blank" rel="noreferrer">
              {p.address}
            </a>
          </p>
          <img
            src={`/api/meetings/${p.id}/code.svg`}
            alt={phrase('The code of {address}', { address: p.address })}
            className="mt-2 h-36 w-36 bg-white"
          />
        </>
      )}
      <h3 className="mt-4">{phrase('Next that can be chosen')}</h3>
      {p.next.length === 0 ? (
        <p className="text-small text-soft">
          {phrase('None: no hour is free within {aheadDays, plural, one {# day} other {# days}}.', { aheadDays: p.aheadDays })}
        </p>
      ) : (
        <ul className="m-0 list-none p-0 text-small leading-7">
          {p.next.map((t) => (
            <li key={t}>{moment(t, zone, now)}</li>
          ))}
          {p.free > p.next.length && <li className="text-soft">{phrase('and {free, number} more', { free: p.free - p.next.length })}</li>}
        </ul>
      )}
      <p className="mt-3 text-small text-soft">
        {phrase(
          'Put its address into a letter: whoever follows it there is known already. They see the times in their own zone, get a mail with the appointment for their calendar, and move or cancel it by its link. A program by the appointment reminds them.',
        )}
      </p>
    </>
  );
}
