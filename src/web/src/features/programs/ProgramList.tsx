import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useNavigate } from 'react-router';
import { api, take } from '../../api/client';
import { useNow } from '../../app/session';
import { Button, Empty, Field, fieldError, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead } from '../../ui/DayPage';
import { scaleOf, TouchLine } from '../../ui/TouchLine';
import { day } from '../../ui/when';

/** The programs, each with its touch line at one scale. */
export default function ProgramList() {
  const { now, zone } = useNow();
  const go = useNavigate();
  const [name, setName] = useState('');
  const programs = useQuery({ queryKey: ['programs'], queryFn: () => take(api.GET('/api/programs')) });
  const create = useMutation({
    meta: { says: () => `the program “${name}”` },
    mutationFn: () => take(api.POST('/api/programs', { body: { name } })),
    onSuccess: (p) => go(`/programs/${p.id}`),
  });
  if (programs.isPending) return <Loading />;
  const scale = scaleOf(programs.data?.map((p) => p.line) ?? []);
  const states: Record<string, string> = { draft: 'being written', on: 'on', paused: 'paused' };
  return (
    <DayPage
      marginTitle="A new program"
      margin={
        <>
          <h3>A new program</h3>
          <form
            className="mt-2"
            onSubmit={(e) => {
              e.preventDefault();
              create.mutate();
            }}
          >
            <Field label="What is it called" error={fieldError(create.error, 'name')}>
              {(id, by) => (
                <input
                  id={id}
                  aria-describedby={by}
                  className="w-full text-ink"
                  placeholder="After the first meeting"
                  value={name}
                  onChange={(e) => setName(e.target.value)}
                />
              )}
            </Field>
            {!fieldError(create.error, 'name') && <Trouble error={create.error} />}
            <Button type="submit" look="main" disabled={!name.trim() || create.isPending}>
              Write it
            </Button>
          </form>
          <p className="mt-4">
            A program says what to do for a person over weeks or years. It starts by itself, stops by itself, and can hand over to another.
            Nothing goes out before you switch it on.
          </p>
        </>
      }
    >
      <PageHead title="Programs" />
      <Trouble error={programs.error} />
      {programs.data?.length === 0 && <Empty>No program yet. Give the first one a name, at the right.</Empty>}
      {programs.data?.map((p) => (
        <Link key={p.id} to={`/programs/${p.id}`} className="row text-ink no-underline hover:bg-picked">
          <span className={`gutter ${p.status === 'on' ? '!text-leaf' : p.status === 'paused' ? '!text-straw' : ''}`}>
            {states[p.status]}
          </span>
          <span className="flex items-baseline justify-between gap-4">
            <span className="font-serif text-lead font-semibold">{p.name}</span>
            <span className="text-small text-soft">
              {p.onSince
                ? `since ${day(p.onSince, zone, now)} · ${p.onIt} on it, ${p.stopped} stopped, ${p.through} through`
                : `${p.line.length} steps`}
            </span>
          </span>
          {p.description && <span className="block max-w-[75ch] text-small text-soft">{p.description}</span>}
          <span className="mt-2 block">
            <TouchLine marks={p.line} scale={scale} width={750} height={40} />
          </span>
        </Link>
      ))}
    </DayPage>
  );
}
