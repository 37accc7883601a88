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
import { count, date, dayName, nearDay } from '../../ui/when';
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
  if (tasks.isPending) return <Loading what="Opening the tasks" />;
  const today = date(now, zone);
  return (
    <DayPage marginTitle="The task" margin={task ? <TaskMargin key={task.id} task={task} acts={acts} /> : <p>Nothing is picked.</p>}>
      <PageHead
        title="Tasks"
        aside={
          <>
            {count(tasks.data?.inAll ?? 0, 'task', 'tasks')} · <Link to="/tasks/sets">sets of tasks</Link> · <Link to="/">Today</Link>
          </>
        }
      >
        <Choices
          choices={[
            {
              key: 'whose',
              label: 'Whose',
              none: 'everybody’s',
              of: session?.members.map((m) => [m.id, m.id === own ? 'mine' : `of ${m.name}`] as const) ?? [],
            },
            { key: 'done', label: 'Open or done', none: 'that are to be done', of: [['done', 'that are done']] },
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
      <Stretch title={filter.done ? 'Done' : 'To be done'} />
      {rows.length === 0 && (
        <Empty>{filter.done ? 'Nothing was done yet.' : 'Nothing is to be done. Write it above, for yourself or another.'}</Empty>
      )}
      {rows.map((t, i) => (
        <div key={t.id} id={`task-${t.id}`} className={`row flex items-baseline gap-4 ${i === at ? 'on' : ''}`} aria-current={i === at}>
          <span className={`gutter ${!t.doneAt && t.due < today ? '!text-ember' : ''}`}>
            {t.doneAt ? nearDay(t.doneAt, zone, now) : t.due < today ? `since ${dayName(t.due, today)}` : dayName(t.due, today)}
          </span>
          <button type="button" data-pick className="min-w-0 flex-1" onClick={() => setPicked(t.id)}>
            <span className="font-serif">{t.title}</span>
            <span className="block text-small text-soft">
              {[t.kind === 'call' && 'call', t.person?.name, t.again, t.source, t.outcome].filter(Boolean).join(' · ')}
            </span>
          </button>
          {!t.doneAt && t.kind === 'task' && (
            <Button onClick={() => acts.finish.mutate({ task: t, outcome: 'done' })} aria-label={`${t.title}: done`}>
              done
            </Button>
          )}
        </div>
      ))}
      {tasks.data && tasks.data.inAll > rows.length && (
        <p className="row text-small text-soft">and {tasks.data.inAll - rows.length} more, when these are done</p>
      )}
      <p className="border-t border-rule px-7 py-3 text-small text-soft">
        <kbd>j</kbd> <kbd>k</kbd> go through · <kbd>x</kbd> done · <kbd>Enter</kbd> opens the person
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
      meta: { says: (task: Task) => `${task.title}: to be done again` },
      mutationFn: (task: Task) => reopenTask(task.id),
      onSuccess: again,
      onError: failed,
    }),
    move: useMutation({
      meta: { says: ({ task, to }: { task: Task; to: string }) => `${task.title} to ${dayName(to)}` },
      mutationFn: ({ task, to }: { task: Task; to: string }) => moveTask(task.id, to),
      onSuccess: ({ before }, { task, to }) => {
        again();
        said(`${task.title} stands on ${dayName(to)}`, () => moveTask(task.id, before).then(again));
      },
      onError: failed,
    }),
    change: useMutation({
      meta: { says: ({ task }: { task: Task; part: Partial<Task> }) => task.title },
      mutationFn: ({ task, part }: { task: Task; part: Partial<Task> }) =>
        take(api.PUT('/api/tasks/{id}', { ...path(task), body: body({ ...task, ...part }) })),
      onSuccess: (_, { task }) => {
        again();
        said(`${task.title}: it is kept`, () => take(api.PUT('/api/tasks/{id}', { ...path(task), body: body(task) })).then(again));
      },
    }),
    takeOut: useMutation({
      meta: { says: (task: Task) => `${task.title}: taken out` },
      mutationFn: (task: Task) => takeTaskOut(task.id),
      onSuccess: (_, task) => {
        again();
        said(`${task.title}: taken out`, () => take(api.POST('/api/tasks', { body: body(task) })).then(again));
      },
      onError: failed,
    }),
    give: useMutation({
      meta: { says: ({ task }: { task: Task; member: string; words: string }) => `${task.title}: handed over` },
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
      <h3>{task.doneAt ? 'Done' : task.kind === 'call' ? 'A call' : 'A task'}</h3>
      {task.person && (
        <p className="mb-2">
          about <Link to={`/people/${task.person.id}`}>{task.person.name}</Link>
        </p>
      )}
      <p className="mb-3 text-small text-soft">
        {task.source}
        {task.memberId && `, on the sheet of ${nameOf(task.memberId)}`}
        {task.outcome && `. It ended: ${task.outcome}`}
      </p>
      {task.doneAt ? (
        <Button onClick={() => acts.reopen.mutate(task)}>it is to be done again</Button>
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
              aria-label="What it says"
              className="min-w-0 flex-1 font-serif"
              maxLength={400}
              value={title}
              onChange={(e) => setTitle(e.target.value)}
            />
            {title !== task.title && (
              <Button type="submit" look="main">
                Keep
              </Button>
            )}
          </form>
          <p className="mb-3 text-small">
            <select
              aria-label="How often it comes"
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
              words="to another day"
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
              <Button onClick={() => setGiving(true)}>hand it over …</Button>
            </p>
          )}
          <Trouble error={acts.give.error ?? acts.change.error} />
          <p className="text-small">
            <Button look="danger" onClick={() => acts.takeOut.mutate(task)}>
              {task.rule ? 'take it out, it does not come again' : 'take it out'}
            </Button>
          </p>
        </>
      )}
      {may && <p className="mt-6 text-small text-soft">What is made together for each new client is written under sets of tasks.</p>}
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
      <select aria-label="To whom" autoFocus value={to} onChange={(e) => setTo(e.target.value)}>
        {members.map((m) => (
          <option key={m.id} value={m.id}>
            to {m.name}
          </option>
        ))}
      </select>
      <input
        aria-label="A word with it"
        placeholder="a word with it"
        maxLength={400}
        className="mt-2 w-full font-serif"
        value={words}
        onChange={(e) => setWords(e.target.value)}
      />
      <p className="mt-2 flex gap-4">
        <Button type="submit" look="main">
          Hand it over
        </Button>
        <Button look="plain" onClick={leave}>
          leave it
        </Button>
      </p>
    </form>
  );
}
