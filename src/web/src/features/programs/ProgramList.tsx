import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useNavigate } from 'react-router';
import { api, type Schemas, take } from '../../api/client';
import { useNow } from '../../app/session';
import { Button, Empty, Field, fieldError, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead } from '../../ui/DayPage';
import { useKept } from '../../ui/kept';
import { scaleOf, TouchLine } from '../../ui/TouchLine';
import { day } from '../../ui/when';
import { listed, phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { BringPrograms } from './BringPrograms';
import { howMany } from './howMany';
import { sayStart, type Trigger } from './programFile';

/** The programs, each with its touch line at one scale. */
export default function ProgramList() {
  const { now, zone } = useNow();
  const go = useNavigate();
  const [name, setName] = useState('');
  const programs = useQuery({ queryKey: ['programs'], queryFn: () => take(api.GET('/api/programs')) });
  const create = useMutation({
    meta: { says: () => phrase('the program “{name}”', { name }) },
    mutationFn: () => take(api.POST('/api/programs', { body: { name } })),
    onSuccess: (p) => go(`/programs/${p.id}`),
  });
  const [wanted, setWanted] = useState('');
  const [withHidden, setWithHidden] = useState(false);
  const [sort, setSort] = useKept<Sort>('programs-sort', 'name');
  if (programs.isPending) return <Loading />;
  const left = programs.data?.filter((p) => p.hidden || p.archived).length ?? 0;
  const fitting = (programs.data ?? []).filter((p) => (withHidden || !(p.hidden || p.archived)) && fits(p, wanted)).sort(sorts[sort].by);
  // Kept together under what they are called together; those without a group come first.
  const groups = [...new Set(fitting.map((p) => p.group ?? ''))].sort((a, b) => a.localeCompare(b));
  const scale = scaleOf(programs.data?.map((p) => p.line) ?? []);
  const states: Record<string, string> = { draft: phrase('being written'), on: phrase('on'), paused: phrase('paused') };
  return (
    <DayPage
      marginTitle={phrase('A new program')}
      margin={
        <>
          <h3>{phrase('A new program')}</h3>
          <form
            className="mt-2"
            onSubmit={(e) => {
              e.preventDefault();
              create.mutate();
            }}
          >
            <Field label={phrase('What is it called')} error={fieldError(create.error, 'name')}>
              {(id, by) => (
                <input
                  id={id}
                  aria-describedby={by}
                  className="w-full text-ink"
                  placeholder={phrase('After the first meeting')}
                  value={name}
                  onChange={(e) => setName(e.target.value)}
                />
              )}
            </Field>
            {!fieldError(create.error, 'name') && <Trouble error={create.error} />}
            <Button type="submit" look="main" disabled={!name.trim() || create.isPending}>
              {phrase('Write it')}
            </Button>
          </form>
          <BringPrograms />
          <p className="mt-4">
            {phrase(
              'A program says what to do for a person over weeks or years. It starts by itself, stops by itself, and can hand over to another. Nothing goes out before you switch it on.',
            )}
          </p>
        </>
      }
    >
      <PageHead
        title={phrase('Programs')}
        aside={
          <>
            <Link to="/programs/broadcasts">{phrase('Broadcasts')}</Link> · <Link to="/programs/ready">{phrase('Ready programs')}</Link>
          </>
        }
      >
        {(programs.data?.length ?? 0) > 1 && (
          <div className="mt-3 flex flex-wrap items-center gap-3 text-small">
            <input
              aria-label={phrase('Search the programs')}
              placeholder={phrase('name, group, what starts it')}
              className="w-64"
              value={wanted}
              onChange={(e) => setWanted(e.target.value)}
            />
            <select aria-label={phrase('Order')} value={sort} onChange={(e) => setSort(e.target.value as Sort)}>
              {Object.entries(sorts).map(([key, { label }]) => (
                <option key={key} value={key}>
                  {label}
                </option>
              ))}
            </select>
            {left > 0 && (
              <label className="inline-flex min-h-6 items-center gap-1.5">
                <Sentence
                  m="{input} with {left, number} hidden or put away"
                  v={{ input: <input type="checkbox" checked={withHidden} onChange={(e) => setWithHidden(e.target.checked)} />, left }}
                />
              </label>
            )}
          </div>
        )}
      </PageHead>
      <Trouble error={programs.error} />
      {programs.data?.length === 0 && (
        <Empty>
          <Sentence
            m="No program yet. <link>Take a ready one</link>, or give one of your own a name, at the right."
            v={{ link: (c) => <Link to="/programs/ready">{c}</Link> }}
          />
        </Empty>
      )}
      {programs.data?.length !== 0 && fitting.length === 0 && <Empty>{phrase('No program fits. Try fewer letters.')}</Empty>}
      {groups.map((group) => (
        <section key={group} aria-label={group || phrase('Without a group')}>
          {group && <h2 className="border-t border-ink px-7 pt-5 pb-1.5 max-[699px]:px-4">{group}</h2>}
          {fitting
            .filter((p) => (p.group ?? '') === group)
            .map((p) => (
              <Link
                key={p.id}
                to={`/programs/${p.id}`}
                aria-labelledby={`program-${p.id}`}
                className="row text-ink no-underline hover:bg-picked"
              >
                <span className={`gutter ${p.status === 'on' ? '!text-leaf' : p.status === 'paused' ? '!text-straw' : ''}`}>
                  {p.archived ? phrase('put away') : states[p.status]}
                </span>
                <span className="flex items-baseline justify-between gap-4">
                  <span id={`program-${p.id}`} className="font-serif text-lead font-semibold">
                    {p.name}
                  </span>
                  <span className="text-small text-soft">
                    {p.onSince
                      ? phrase('since {onSince} · {onIt, number} on it, {stopped, number} stopped{answered}, {through, number} through', {
                          onSince: day(p.onSince, zone, now),
                          onIt: p.onIt,
                          stopped: p.stopped,
                          answered: p.answered > 0 ? phrase(' ({answered, number} answered)', { answered: p.answered }) : '',
                          through: p.through,
                        })
                      : phrase('{line, number} steps', { line: p.line.length })}
                  </span>
                </span>
                <span className="block max-w-[75ch] text-small text-soft">
                  {p.status === 'draft' && <b className="font-semibold text-straw">{phrase('nothing goes out yet: not switched on. ')}</b>}
                  {p.changed && <b className="font-semibold text-straw">{phrase('changed since; what goes is the version before. ')}</b>}
                  {startsOf(p)}
                  {p.line.length > 0 && `${startsOf(p) ? ' · ' : ''}${stepsOf(p)}`}
                  {p.owner && phrase(' · {owner}’s', { owner: p.owner.name })}
                  {p.hidden && phrase(' · hidden')}
                </span>
                {p.description && <span className="block max-w-[75ch] text-small text-soft">{p.description}</span>}
                <span className="mt-2 block">
                  <TouchLine marks={p.line} scale={scale} width={750} height={40} />
                </span>
              </Link>
            ))}
        </section>
      ))}
    </DayPage>
  );
}

type Program = Schemas['ProgramLine'];
type Sort = 'name' | 'state' | 'onIt' | 'length';

const order = ['on', 'paused', 'draft'];
const byName = (a: Program, b: Program) => a.name.localeCompare(b.name);
const lengthOf = (p: Program) => Math.max(0, ...p.line.map((m) => m.day));

/** How programs may stand; what is alike stands by name. */
const sorts: Record<Sort, { label: string; by: (a: Program, b: Program) => number }> = {
  name: { label: phrase('by name'), by: byName },
  state: { label: phrase('those that are on first'), by: (a, b) => order.indexOf(a.status) - order.indexOf(b.status) || byName(a, b) },
  onIt: { label: phrase('most people on it first'), by: (a, b) => b.onIt - a.onIt || byName(a, b) },
  length: { label: phrase('longest first'), by: (a, b) => lengthOf(b) - lengthOf(a) || byName(a, b) },
};

/** What starts a program, in words. */
export function startsOf(p: Pick<Program, 'starts'>) {
  const starts = p.starts as unknown as Trigger[];
  return starts.length === 0 ? '' : phrase('when {starts}', { starts: listed(starts.map(sayStart), 'disjunction') });
}

/** How many steps there are of each kind: “5 emails, a call”. */
export function stepsOf(p: Pick<Program, 'line'>) {
  const kinds = new Map<string, number>();
  for (const mark of p.line) kinds.set(mark.kind, (kinds.get(mark.kind) ?? 0) + 1);
  return [...kinds].map(([kind, n]) => howMany[kind]?.(n) ?? `${n} ${kind}`).join(', ');
}

/** Whether every word that is looked for stands somewhere in what is said of a program. */
export function fits(p: Program, wanted: string) {
  const said = [p.name, p.group, p.description, p.owner?.name, startsOf(p)].join(' ').toLowerCase();
  return wanted
    .toLowerCase()
    .split(/\s+/)
    .every((word) => said.includes(word));
}
