import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api, type Schemas, take } from '../../api/client';
import { useMay, useMemberName, useNow, useSession } from '../../app/session';
import { Button, Trouble } from '../../ui/bits';
import { date, dayName } from '../../ui/when';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';

/**
 * Who is away when, said and taken back. Everybody says it of themselves; whoever may change settings, of anybody.
 * @param of Only this member's; without it everybody's, each with its name.
 */
export function Absences({ absences, of, line }: { absences: Schemas['AbsenceDto'][]; of?: string; line: string }) {
  const queries = useQueryClient();
  const session = useSession().data;
  const may = useMay('change-settings');
  const name = useMemberName();
  const { now, zone } = useNow();
  const today = date(now, zone);
  const own = session?.member?.id ?? '';
  const [chosen, setMember] = useState(own);
  const [from, setFrom] = useState(today);
  const [until, setUntil] = useState(today);
  const member = of ?? chosen;
  const refresh = () => {
    for (const key of ['giving', 'members', 'today', 'almanac']) queries.invalidateQueries({ queryKey: [key] });
  };
  const add = useMutation({
    mutationFn: () => take(api.POST('/api/giving/absences', { body: { member, from, until } })),
    onSuccess: refresh,
  });
  const remove = useMutation({
    mutationFn: (id: string) => take(api.DELETE('/api/giving/absences/{id}', { params: { path: { id } } })),
    onSuccess: refresh,
  });
  return (
    <>
      {absences.map((a) => (
        <p key={a.id} className={`${line} flex items-baseline gap-4`}>
          <span className="flex-1">
            {phrase('{member} is away {from}.', {
              member: name(a.member),
              from:
                a.from === a.until
                  ? phrase('on {from}', { from: dayName(a.from) })
                  : phrase('from {from} to {until}', { from: dayName(a.from), until: dayName(a.until) }),
            })}
          </span>
          {(may || a.member === own) && (
            <Button
              look="plain"
              className="min-h-6"
              onClick={() => remove.mutate(a.id)}
              aria-label={phrase('{member} is there after all from {from}', { member: name(a.member), from: a.from })}
            >
              {phrase('take out')}
            </Button>
          )}
        </p>
      ))}
      {(may || !of || of === own) && (
        <form
          className={`${line} flex flex-wrap items-baseline gap-3`}
          onSubmit={(e) => {
            e.preventDefault();
            add.mutate();
          }}
        >
          <Sentence
            m="{of} away from {from} to {until}<button>Keep it</button>{trouble}"
            v={{
              of: of ? (
                phrase('{of} is', { of: name(of) })
              ) : may ? (
                <select aria-label={phrase('Who is away')} value={chosen} onChange={(e) => setMember(e.target.value)}>
                  {(session?.members ?? []).map((m) => (
                    <option key={m.id} value={m.id}>
                      {m.name}
                    </option>
                  ))}
                </select>
              ) : (
                phrase('I am')
              ),
              from: <input aria-label={phrase('The first day away')} type="date" value={from} onChange={(e) => setFrom(e.target.value)} />,
              until: (
                <input aria-label={phrase('The last day away')} type="date" value={until} onChange={(e) => setUntil(e.target.value)} />
              ),
              button: (c) => (
                <Button type="submit" className="min-h-6" disabled={add.isPending}>
                  {c}
                </Button>
              ),
              trouble: <Trouble error={add.error ?? remove.error} />,
            }}
          />
        </form>
      )}
    </>
  );
}
