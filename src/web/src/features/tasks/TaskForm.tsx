import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api, take } from '../../api/client';
import { useNow, useSession } from '../../app/session';
import { Button, Trouble } from '../../ui/bits';
import { useKept } from '../../ui/kept';
import { said } from '../../ui/undo';
import { date } from '../../ui/when';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { WhoField } from '../people/WhoField';
import { takeTaskOut } from './acts';
import { repeats } from './repeats';

type Somebody = { id: string; name: string };

/** Writes a task: what, when, whose, about whom, and whether it comes again. Enter takes it, and the next can be written at once. */
export function TaskForm({ about, leave }: { about?: Somebody; leave?: () => void }) {
  const queries = useQueryClient();
  const { now, zone } = useNow();
  const today = date(now, zone);
  const session = useSession().data;
  const own = session?.member?.id ?? '';
  const [title, setTitle, written] = useKept(`task.${about?.id ?? 'new'}`, '');
  const [due, setDue] = useState(today);
  const [kind, setKind] = useState('task');
  const [member, setMember] = useState(own);
  const [rule, setRule] = useState('');
  const [who, setWho] = useState<Somebody | undefined>(about);
  const add = useMutation({
    meta: { says: () => phrase('a task: {title}', { title }) },
    mutationFn: () =>
      take(api.POST('/api/tasks', { body: { kind, title: title.trim(), due, person: who?.id ?? null, member: member || null, rule } })),
    onSuccess: ({ id }) => {
      const words = title;
      written();
      if (!about) setWho(undefined);
      const again = () => queries.invalidateQueries();
      again();
      said(phrase('{words}: it is on the sheet', { words }), () => takeTaskOut(id).then(again));
    },
  });
  return (
    <form
      aria-label={phrase('A task')}
      className="mb-3 flex flex-wrap items-center gap-x-3 gap-y-2 text-small"
      onKeyDown={(e) => {
        if (e.key !== 'Escape' || !leave) return;
        e.stopPropagation();
        leave();
      }}
      onSubmit={(e) => {
        e.preventDefault();
        if (title.trim()) add.mutate();
      }}
    >
      <input
        aria-label={phrase('What is to be done')}
        placeholder={phrase('what is to be done')}
        maxLength={400}
        autoFocus={about !== undefined}
        className="min-w-40 flex-1 font-serif"
        value={title}
        onChange={(e) => setTitle(e.target.value)}
      />
      <select aria-label={phrase('Task or call')} value={kind} onChange={(e) => setKind(e.target.value)}>
        <option value="task">{phrase('task')}</option>
        <option value="call">{phrase('call')}</option>
      </select>
      <input type="date" aria-label={phrase('On which day')} required value={due} onChange={(e) => setDue(e.target.value)} />
      <select aria-label={phrase('How often')} value={rule} onChange={(e) => setRule(e.target.value)}>
        {repeats.map(([r, words]) => (
          <option key={r} value={r}>
            {words}
          </option>
        ))}
      </select>
      <select aria-label={phrase('Whose it is')} value={member} onChange={(e) => setMember(e.target.value)}>
        {session?.members.map((m) => (
          <option key={m.id} value={m.id}>
            {m.id === own ? phrase('mine') : phrase('for {name}', { name: m.name })}
          </option>
        ))}
      </select>
      {!about &&
        (who ? (
          <span>
            <Sentence
              m="about {who} <button>not</button>"
              v={{
                who: who.name,
                button: (c) => (
                  <Button look="plain" aria-label={phrase('not about {who}', { who: who.name })} onClick={() => setWho(undefined)}>
                    {c}
                  </Button>
                ),
              }}
            />
          </span>
        ) : (
          <span className="flex items-center gap-2">
            {phrase('about')}
            <span className="w-52 [&>div]:mb-0">
              <WhoField label={phrase('About whom, if anybody')} pick={setWho} />
            </span>
          </span>
        ))}
      <Button type="submit" look="main" disabled={add.isPending || !title.trim()}>
        {phrase('Write it')}
      </Button>
      {leave && (
        <Button look="plain" onClick={leave}>
          {phrase('leave it')}
        </Button>
      )}
      <div className="basis-full">
        <Trouble error={add.error} />
      </div>
    </form>
  );
}
