import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { toast } from 'sonner';
import { api, type Schemas, take } from '../../api/client';
import { useMay } from '../../app/session';
import { Button, Empty, fieldError, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead } from '../../ui/DayPage';
import { FoundAgain } from '../../ui/FoundAgain';
import { useKeptEdit } from '../../ui/kept';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';

type Sets = Schemas['TaskSetDto'][];
type Line = Schemas['TaskLineDto'];

const blank: Line = { kind: 'task', title: '', days: 0 };

/** Tasks that are made together: eleven things for each new client. */
export default function TaskSetsPage() {
  const tasks = useQuery({ queryKey: ['tasks', 'sets'], queryFn: () => take(api.GET('/api/tasks')) });
  if (tasks.isPending) return <Loading what={phrase('Opening the sets')} />;
  return (
    <DayPage
      marginTitle={phrase('How they are made')}
      margin={
        <>
          <h3>{phrase('How they are made')}</h3>
          <p>
            <Sentence
              m="On a person’s page, under <i>To do</i>, or under Tasks. Each stands on the day sheet of whoever makes them, so many working days later as its line says. What was made is changed and handed over like any task."
              v={{ i: (c) => <i>{c}</i> }}
            />
          </p>
        </>
      }
    >
      <PageHead title={phrase('Sets of tasks')} aside={<Link to="/tasks">{phrase('Tasks')}</Link>} />
      <div className="px-7">
        <Trouble error={tasks.error} />
      </div>
      {tasks.data && <SetsForm kept={tasks.data.sets} />}
    </DayPage>
  );
}

function SetsForm({ kept }: { kept: Sets }) {
  const queries = useQueryClient();
  const may = useMay('change-settings');
  const edit = useKeptEdit('task-sets', { sets: kept });
  const [afresh, setAfresh] = useState(0);
  const sets = edit.value.sets;
  const save = useMutation({
    meta: { says: () => phrase('sets of tasks') },
    mutationFn: () => take(api.PUT('/api/tasks/sets', { body: { sets } })),
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: ['tasks'] });
      edit.done();
      toast(phrase('Kept.'));
    },
  });
  const put = (i: number, part: Partial<Sets[number]>) => edit.set({ sets: sets.map((s, n) => (n === i ? { ...s, ...part } : s)) });
  const line = (i: number, l: number, part: Partial<Line>) =>
    put(i, { tasks: (sets[i]?.tasks ?? []).map((t, n) => (n === l ? { ...t, ...part } : t)) });
  if (!may)
    return (
      <>
        {sets.map((s) => (
          <div key={s.name} className="row">
            <b>{s.name}</b>
            <ul className="m-0 list-none p-0 font-serif">
              {s.tasks.map((t, n) => (
                <li key={n}>
                  {t.title}{' '}
                  <span className="font-sans text-small text-soft">{phrase('after {days, number} working days', { days: t.days })}</span>
                </li>
              ))}
            </ul>
          </div>
        ))}
        <p className="row text-small text-soft">{phrase('A principal changes these.')}</p>
      </>
    );
  return (
    <form
      key={afresh}
      onSubmit={(e) => {
        e.preventDefault();
        save.mutate();
      }}
    >
      {edit.found && (
        <FoundAgain
          className="mx-7 my-3"
          words={phrase('What you changed here before and did not keep stands here again.')}
          throwAway={() => {
            edit.done();
            setAfresh(afresh + 1);
          }}
        />
      )}
      {sets.length === 0 && <Empty>{phrase('No sets yet. Write down once what is to be done for each new client.')}</Empty>}
      {sets.map((s, i) => (
        // Its place is what it is known by while it is written.
        <fieldset key={i} className="row m-0 border-x-0 border-b-0">
          <legend className="sr-only">{s.name || phrase('Set {i, number}', { i: i + 1 })}</legend>
          <div className="mb-2 flex flex-wrap items-baseline gap-4">
            <input
              aria-label={phrase('Set {i, number}: what it is for', { i: i + 1 })}
              placeholder={phrase('what it is for: new client')}
              maxLength={100}
              className="w-64 font-semibold"
              value={s.name}
              onChange={(e) => put(i, { name: e.target.value })}
            />
            <Button
              look="danger"
              aria-label={phrase('take out the set {name}', { name: s.name || i + 1 })}
              onClick={() => edit.set({ sets: sets.toSpliced(i, 1) })}
            >
              {phrase('take out')}
            </Button>
          </div>
          {s.tasks.map((t, l) => (
            <div key={l} className="mb-1.5 flex flex-wrap items-baseline gap-3 text-small">
              <label>
                <Sentence
                  m="after {days} working days"
                  v={{
                    days: (
                      <input
                        type="number"
                        min={0}
                        max={400}
                        aria-label={phrase('Line {l, number} of set {i, number}: after how many working days', { l: l + 1, i: i + 1 })}
                        className="w-16"
                        value={t.days}
                        onChange={(e) => line(i, l, { days: Number(e.target.value) })}
                      />
                    ),
                  }}
                />
              </label>
              <select
                aria-label={phrase('Line {l, number} of set {i, number}: task or call', { l: l + 1, i: i + 1 })}
                value={t.kind}
                onChange={(e) => line(i, l, { kind: e.target.value })}
              >
                <option value="task">{phrase('task')}</option>
                <option value="call">{phrase('call')}</option>
              </select>
              <input
                aria-label={phrase('Line {l, number} of set {i, number}: what is to be done', { l: l + 1, i: i + 1 })}
                placeholder={phrase('what is to be done')}
                maxLength={400}
                className="min-w-40 flex-1 font-serif"
                value={t.title}
                onChange={(e) => line(i, l, { title: e.target.value })}
              />
              <Button
                look="plain"
                aria-label={phrase('take out line {l, number} of set {i, number}', { l: l + 1, i: i + 1 })}
                onClick={() => put(i, { tasks: s.tasks.toSpliced(l, 1) })}
              >
                {phrase('take out')}
              </Button>
            </div>
          ))}
          <Button onClick={() => put(i, { tasks: [...s.tasks, { ...blank, days: s.tasks.at(-1)?.days ?? 0 }] })}>
            {phrase('+ a line')}
          </Button>
          {fieldError(save.error, `sets[${i}]`) && (
            <p role="alert" className="text-small text-ember">
              {fieldError(save.error, `sets[${i}]`)}
            </p>
          )}
        </fieldset>
      ))}
      <p className="row flex flex-wrap gap-5">
        <Button onClick={() => edit.set({ sets: [...sets, { name: '', tasks: [blank] }] })}>{phrase('+ a set')}</Button>
        {Object.keys(edit.changes).length > 0 && (
          <Button type="submit" look="main" disabled={save.isPending}>
            {phrase('Keep the sets')}
          </Button>
        )}
      </p>
      <div className="px-7">
        <Trouble error={save.error} />
      </div>
    </form>
  );
}
