import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api, type Schemas, take } from '../../api/client';
import { Button, Field, fieldError, Loading, Trouble } from '../../ui/bits';
import { said } from '../../ui/undo';
import { count } from '../../ui/when';

type Member = Schemas['TeamMemberDto'];

/** What a member has in hand goes to another in one sitting; what that is, is said before. */
export function HandOver({ member, others, self, done }: { member: Member; others: readonly Member[]; self: boolean; done: () => void }) {
  const path = { params: { path: { id: member.id } } };
  const holdings = useQuery({
    queryKey: ['members', 'holdings', member.id],
    queryFn: () => take(api.GET('/api/members/{id}/holdings', path)),
  });
  const [to, setTo] = useState(others[0]?.id ?? '');
  const hand = useMutation({
    mutationFn: (takeOut: boolean) => take(api.POST('/api/members/{id}/hand-over', { ...path, body: { to, takeOut } })),
    onSuccess: (answer, takeOut) => {
      const words = takeOut ? `${member.name} is out; all they had is handed over.` : `What ${member.name} had is handed over.`;
      const act = answer.act;
      const back = async () => {
        await take(api.POST('/api/acts/{id}/undo', { params: { path: { id: act ?? '' } } }));
        done();
        return `The people are with ${member.name} again; what else was handed over stays where it is.`;
      };
      said(words, act && !takeOut ? back : undefined);
      done();
    },
  });
  if (holdings.error) return <Trouble error={holdings.error} />;
  if (!holdings.data) return <Loading what="Looking what there is" />;
  const h = holdings.data;
  const parts = (
    [
      [h.people, 'person', 'people'],
      [h.opportunities, 'open opportunity', 'open opportunities'],
      [h.inquiries, 'inquiry that waits', 'inquiries that wait'],
      [h.tasks, 'task', 'tasks'],
      [h.calls, 'call or note of a program', 'calls and notes of programs'],
      [h.programs, 'program', 'programs'],
      [h.broadcasts, 'broadcast that was not sent', 'broadcasts that were not sent'],
    ] as const
  )
    .filter(([n]) => n > 0)
    .map(([n, one, many]) => count(n, one, many));
  const other = others.find((o) => o.id === to);
  return (
    <div className="mt-3 border-l-[3px] border-rule pl-4">
      <p className="m-0 max-w-[64ch]">
        {member.name} has {parts.length === 0 ? 'nothing in hand' : new Intl.ListFormat('en').format(parts)}.
        {h.deputyOf.length > 0 && ` ${member.name} stands in for ${h.deputyOf.join(' and ')}.`}
        {h.pages > 0 &&
          ` ${count(h.pages, 'page of times', 'pages of times')} at which they can be met ${h.pages === 1 ? 'goes' : 'go'} when they are taken out.`}
      </p>
      {h.namedIn.length > 0 && (
        <p className="mt-1 mb-0 max-w-[64ch] text-straw">
          Named by name in {h.namedIn.map((n) => `“${n}”`).join(', ')}: there somebody else is to be named by hand.
        </p>
      )}
      {others.length === 0 ? (
        <p className="text-soft">There is nobody to hand it over to. Invite somebody first.</p>
      ) : (
        <div className="mt-2 flex flex-wrap items-end gap-5">
          <Field label="It all goes to" error={fieldError(hand.error, 'to')}>
            {(id, by) => (
              <select id={id} aria-describedby={by} value={to} onChange={(e) => setTo(e.target.value)}>
                {others.map((o) => (
                  <option key={o.id} value={o.id}>
                    {o.name}
                  </option>
                ))}
              </select>
            )}
          </Field>
          <span className="mb-3 flex gap-5">
            <Button className="min-h-6" disabled={hand.isPending || !other} onClick={() => hand.mutate(false)}>
              Hand it over to {other?.name}
            </Button>
            {!self && (
              <Button look="danger" className="min-h-6" disabled={hand.isPending || !other} onClick={() => hand.mutate(true)}>
                Hand it over, and take {member.name} out
              </Button>
            )}
          </span>
        </div>
      )}
      {!fieldError(hand.error, 'to') && <Trouble error={hand.error} />}
    </div>
  );
}
