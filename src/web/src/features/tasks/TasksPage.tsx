import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useNavigate } from 'react-router';
import { toast } from 'sonner';
import { api, type Schemas, take } from '../../api/client';
import { useMay, useMemberName, useNow, useSession } from '../../app/session';
import { Button, Empty, Loading, Trouble } from '../../ui/bits';
import { Choices } from '../../ui/Choices';
import { DayChooser } from '../../ui/DayChooser';
import { DayPage, PageHead, Stretch } from '../../ui/DayPage';
import { useKept } from '../../ui/kept';
import { useKeys } from '../../ui/keys';
import { said } from '../../ui/undo';
import { date, dayName, nearDay } from '../../ui/when';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { finishTask, moveTask, reopenTask, takeTaskOut } from './acts';
import { MakeSet } from './MakeSet';
import { repeatsWith } from './repeats';
import { TaskForm } from './TaskForm';

type Task = Schemas['OwnTaskDto'];

/** Members’ own tasks: written, handed over, moved, repeated, done; those of today stand on the day sheet too. */
export default function TasksPage() {
  const { now, zone } = useNow();
  const go = useNavigate();
  const session = useSession().data;
  const own = session?.member?.id ?? '';
  const [filter, setFilter] = useKept('tasks.filter', { whose: own, done: '' });
  const [picked, setPicked] = useState<string>();
  const tasks = useQuery({
    queryKey: ['tasks', filter],
    queryFn: () => take(api.GET('/api/tasks', { params: { query: { member: filter.whose || undefined, done: filter.done === 'done' } } })),
    placeholderData: (before) => before,
  });
  const rows = tasks.data?.tasks ?? [];
  const at = Math.max(
    0,
    rows.findIndex((t) => t.id === picked),
  );
  const task = rows[at];
  const acts = useActs();
  const step = (by: number) => {
    const to = rows[Math.min(Math.max(at + by, 0), rows.length - 1)];
    setPicked(to?.id);
    document.getElementById(`task-${to?.id}`)?.querySelector<HTMLElement>('[data-pick]')?.focus();
  };
  useKeys({
    j: () => step(1),
    k: () => step(-1),
    x: () => task && !task.doneAt && task.kind === 'task' && acts.finish.mutate({ task, outcome: 'done' }),
    Enter: () => task?.person && go(`/people/${task.person.id}`),
  });
  if (tasks.isPending) return <Loading what={phrase('Opening the tasks')} />;
  const today = date(now, zone);
  return (
    <DayPage
      marginTitle={phrase('The task')}
      margin={task ? <TaskMargin key={task.id} task={task} acts={acts} /> : <p>{phrase('Nothing is picked.')}</p>}
    >
      <PageHead
        title={phrase('Tasks')}
        aside={
          <>
            {phrase('{inAll, plural, one {# task} other {# tasks}}', { inAll: tasks.data?.inAll ?? 0 })} ·{' '}
            <Link to="/tasks/sets">{phrase('sets of tasks')}</Link> · <Link to="/">{phrase('Today')}</Link>
          </>
        }
      >
        <Choices
          choices={[
            {
              key: 'whose',
              label: phrase('Whose'),
              none: phrase('everybody’s'),
              of: session?.members.map((m) => [m.id, m.id === own ? phrase('mine') : phrase('of {name}', { name: m.name })] as const) ?? [],
            },
            { key: 'done', label: phrase('Open or done'), none: phrase('that are to be done'), of: [['done', phrase('that are done')]] },
          ]}
          values={filter}
          set={(key, value) => setFilter({ ...filter, [key]: value })}
        />
      </PageHead>
      <div className="px-7 pt-2 max-[699px]:px-4">
        <Trouble error={tasks.error} />
        <TaskForm />
        <MakeSet />
      </div>
      <Stretch title={filter.done ? phrase('Done') : phrase('To be done')} />
      {rows.length === 0 && (
        <Empty>
          {filter.done ? phrase('Nothing was done yet.') : phrase('Nothing is to be done. Write it above, for yourself or another.')}
        </Empty>
      )}
      {rows.map((t, i) => (
        <div key={t.id} id={`task-${t.id}`} className={`row flex items-baseline gap-4 ${i === at ? 'on' : ''}`} aria-current={i === at}>
          <span className={`gutter ${!t.doneAt && t.due < today ? '!text-ember' : ''}`}>
            {t.doneAt
              ? nearDay(t.doneAt, zone, now)
              : t.due < today
                ? phrase('since {due}', { due: dayName(t.due, today) })
                : dayName(t.due, today)}
          </span>
          <button type="button" data-pick className="min-w-0 flex-1" onClick={() => setPicked(t.id)}>
            <span className="font-serif">{t.title}</span>
            <span className="block text-small text-soft">
              {[t.kind === 'call' && phrase('call'), t.person?.name, t.again, t.source, t.outcome].filter(Boolean).join(' · ')}
            </span>
          </button>
          {!t.doneAt && t.kind === 'task' && (
            <Button
              onClick={() => acts.finish.mutate({ task: t, outcome: 'done' })}
              aria-label={phrase('{title}: done', { title: t.title })}
            >
              {phrase('done')}
            </Button>
          )}
        </div>
      ))}
      {tasks.data && tasks.data.inAll > rows.length && (
        <p className="row text-small text-soft">
          {phrase('and {inAll, number} more, when these are done', { inAll: tasks.data.inAll - rows.length })}
        </p>
      )}
      <p className="border-t border-rule px-7 py-3 text-small text-soft">
        <Sentence
          m="{kbd} {kbd2} go through · {kbd3} done · {kbd4} opens the person"
          v={{ kbd: <kbd>j</kbd>, kbd2: <kbd>k</kbd>, kbd3: <kbd>x</kbd>, kbd4: <kbd>Enter</kbd> }}
        />
      </p>
    </DayPage>
  );
}

type Finish = { task: Task; outcome: string };

/** What can be done with a task, each with the way back. */
function useActs() {
  const queries = useQueryClient();
  const again = () => queries.invalidateQueries();
  const path = (task: Task) => ({ params: { path: { id: task.id } } });
  const failed = (e: Error) => {
    toast.error(e.message);
  };
  const body = (t: Task) => ({ kind: t.kind, title: t.title, due: t.due, person: t.person?.id ?? null, member: t.memberId, rule: t.rule });
  return {
    finish: useMutation({
      meta: { says: ({ task, outcome }: Finish) => `${task.title}: ${outcome}` },
      mutationFn: ({ task, outcome }: Finish) => finishTask(task.id, { outcome, remark: null, next: null }),
      onSuccess: (_, { task, outcome }) => {
        again();
        said(`${task.title}: ${outcome}`, () => reopenTask(task.id).then(again));
      },
      onError: failed,
    }),
    reopen: useMutation({
      meta: { says: (task: Task) => phrase('{title}: to be done again', { title: task.title }) },
      mutationFn: (task: Task) => reopenTask(task.id),
      onSuccess: again,
      onError: failed,
    }),
    move: useMutation({
      meta: { says: ({ task, to }: { task: Task; to: string }) => phrase('{title} to {to}', { title: task.title, to: dayName(to) }) },
      mutationFn: ({ task, to }: { task: Task; to: string }) => moveTask(task.id, to),
      onSuccess: ({ before }, { task, to }) => {
        again();
        said(phrase('{title} stands on {to}', { title: task.title, to: dayName(to) }), () => moveTask(task.id, before).then(again));
      },
      onError: failed,
    }),
    change: useMutation({
      meta: { says: ({ task }: { task: Task; part: Partial<Task> }) => task.title },
      mutationFn: ({ task, part }: { task: Task; part: Partial<Task> }) =>
        take(api.PUT('/api/tasks/{id}', { ...path(task), body: body({ ...task, ...part }) })),
      onSuccess: (_, { task }) => {
        again();
        said(phrase('{title}: it is kept', { title: task.title }), () =>
          take(api.PUT('/api/tasks/{id}', { ...path(task), body: body(task) })).then(again),
        );
      },
    }),
    takeOut: useMutation({
      meta: { says: (task: Task) => phrase('{title}: taken out', { title: task.title }) },
      mutationFn: (task: Task) => takeTaskOut(task.id),
      onSuccess: (_, task) => {
        again();
        said(phrase('{title}: taken out', { title: task.title }), () => take(api.POST('/api/tasks', { body: body(task) })).then(again));
      },
      onError: failed,
    }),
    give: useMutation({
      meta: { says: ({ task }: { task: Task; member: string; words: string }) => phrase('{title}: handed over', { title: task.title }) },
      mutationFn: ({ task, member, words }: { task: Task; member: string; words: string }) =>
        take(api.POST('/api/tasks/{id}/give', { ...path(task), body: { member, words } })),
      onSuccess: again,
    }),
  };
}

/** The picked task: its words, its day, how often, to whom it is handed over. */
function TaskMargin({ task, acts }: { task: Task; acts: ReturnType<typeof useActs> }) {
  const nameOf = useMemberName();
  const may = useMay('change-settings');
  const outcomes =
    useQuery({ queryKey: ['outcomes'], queryFn: () => take(api.GET('/api/outcomes')), enabled: task.kind === 'call' }).data ?? [];
  const [title, setTitle] = useState(task.title);
  const [giving, setGiving] = useState(false);
  return (
    <>
      <h3>{task.doneAt ? phrase('Done') : task.kind === 'call' ? phrase('A call') : phrase('A task')}</h3>
      {task.person && (
        <p className="mb-2">
          {phrase('about')} <Link to={`/people/${task.person.id}`}>{task.person.name}</Link>
        </p>
      )}
      <p className="mb-3 text-small text-soft">
        {task.source}
        {task.memberId && phrase(', on the sheet of {memberId}', { memberId: nameOf(task.memberId) })}
        {task.outcome && phrase('. It ended: {outcome}', { outcome: task.outcome })}
      </p>
      {task.doneAt ? (
        <Button onClick={() => acts.reopen.mutate(task)}>{phrase('it is to be done again')}</Button>
      ) : (
        <>
          <form
            className="mb-3 flex gap-3"
            onSubmit={(e) => {
              e.preventDefault();
              if (title.trim() && title !== task.title) acts.change.mutate({ task, part: { title: title.trim() } });
            }}
          >
            <input
              aria-label={phrase('What it says')}
              className="min-w-0 flex-1 font-serif"
              maxLength={400}
              value={title}
              onChange={(e) => setTitle(e.target.value)}
            />
            {title !== task.title && (
              <Button type="submit" look="main">
                {phrase('Keep')}
              </Button>
            )}
          </form>
          <p className="mb-3 text-small">
            <select
              aria-label={phrase('How often it comes')}
              value={task.rule}
              onChange={(e) => acts.change.mutate({ task, part: { rule: e.target.value } })}
            >
              {repeatsWith(task.rule, task.again).map(([rule, words]) => (
                <option key={rule} value={rule}>
                  {words}
                </option>
              ))}
            </select>
          </p>
          {task.kind === 'call' && (
            <p className="mb-3 flex flex-wrap gap-x-4 text-small">
              {outcomes.map((o) => (
                <Button key={o.name} onClick={() => acts.finish.mutate({ task, outcome: o.name })}>
                  {o.name}
                </Button>
              ))}
            </p>
          )}
          <div className="mb-3 text-small">
            <DayChooser
              words={phrase('to another day')}
              after={task.due}
              choose={(to) => acts.move.mutate({ task, to })}
              busy={acts.move.isPending}
            />
          </div>
          {giving ? (
            <Give
              task={task}
              give={(member, words) => acts.give.mutate({ task, member, words }, { onSuccess: () => setGiving(false) })}
              leave={() => setGiving(false)}
            />
          ) : (
            <p className="mb-3 text-small">
              <Button onClick={() => setGiving(true)}>{phrase('hand it over …')}</Button>
            </p>
          )}
          <Trouble error={acts.give.error ?? acts.change.error} />
          <p className="text-small">
            <Button look="danger" onClick={() => acts.takeOut.mutate(task)}>
              {task.rule ? phrase('take it out, it does not come again') : phrase('take it out')}
            </Button>
          </p>
        </>
      )}
      {may && (
        <p className="mt-6 text-small text-soft">{phrase('What is made together for each new client is written under sets of tasks.')}</p>
      )}
    </>
  );
}

function Give({ task, give, leave }: { task: Task; give: (member: string, words: string) => void; leave: () => void }) {
  const members = (useSession().data?.members ?? []).filter((m) => m.id !== task.memberId);
  const [to, setTo] = useState(members[0]?.id ?? '');
  const [words, setWords] = useState('');
  return (
    <form
      className="mb-3 text-small"
      onSubmit={(e) => {
        e.preventDefault();
        give(to, words.trim());
      }}
      onKeyDown={(e) => {
        if (e.key !== 'Escape') return;
        e.stopPropagation();
        leave();
      }}
    >
      <select aria-label={phrase('To whom')} autoFocus value={to} onChange={(e) => setTo(e.target.value)}>
        {members.map((m) => (
          <option key={m.id} value={m.id}>
            {phrase('to {name}', { name: m.name })}
          </option>
        ))}
      </select>
      <input
        aria-label={phrase('A word with it')}
        placeholder={phrase('a word with it')}
        maxLength={400}
        className="mt-2 w-full font-serif"
        value={words}
        onChange={(e) => setWords(e.target.value)}
      />
      <p className="mt-2 flex gap-4">
        <Button type="submit" look="main">
          {phrase('Hand it over')}
        </Button>
        <Button look="plain" onClick={leave}>
          {phrase('leave it')}
        </Button>
      </p>
    </form>
  );
}
