import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api, type Schemas, take } from '../../api/client';
import { Button, Field, fieldError, Loading, Trouble } from '../../ui/bits';
import { said } from '../../ui/undo';
import { listed, phrase, quoted } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';

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
      const words = takeOut
        ? phrase('{member} is out; all they had is handed over.', { member: member.name })
        : phrase('What {member} had is handed over.', { member: member.name });
      const act = answer.act;
      const back = async () => {
        await take(api.POST('/api/acts/{id}/undo', { params: { path: { id: act ?? '' } } }));
        done();
        return phrase('The people are with {member} again; what else was handed over stays where it is.', { member: member.name });
      };
      said(words, act && !takeOut ? back : undefined);
      done();
    },
  });
  if (holdings.error) return <Trouble error={holdings.error} />;
  if (!holdings.data) return <Loading what={phrase('Looking what there is')} />;
  const h = holdings.data;
  const parts = [
    h.people > 0 && phrase('{n, plural, one {# person} other {# people}}', { n: h.people }),
    h.opportunities > 0 && phrase('{n, plural, one {# open opportunity} other {# open opportunities}}', { n: h.opportunities }),
    h.inquiries > 0 && phrase('{n, plural, one {# inquiry that waits} other {# inquiries that wait}}', { n: h.inquiries }),
    h.tasks > 0 && phrase('{n, plural, one {# task} other {# tasks}}', { n: h.tasks }),
    h.calls > 0 && phrase('{n, plural, one {# call or note of a program} other {# calls and notes of programs}}', { n: h.calls }),
    h.programs > 0 && phrase('{n, plural, one {# program} other {# programs}}', { n: h.programs }),
    h.broadcasts > 0 &&
      phrase('{n, plural, one {# broadcast that was not sent} other {# broadcasts that were not sent}}', { n: h.broadcasts }),
  ].filter((part) => part !== false);
  const other = others.find((o) => o.id === to);
  return (
    <div className="mt-3 border-l-[3px] border-rule pl-4">
      <p className="m-0 max-w-[64ch]">
        <Sentence
          m="{member} has {parts}.{deputyOf}{pages}"
          v={{
            member: member.name,
            parts: parts.length === 0 ? phrase('nothing in hand') : listed(parts),
            deputyOf:
              h.deputyOf.length > 0 && phrase(' {member} stands in for {deputyOf}.', { member: member.name, deputyOf: listed(h.deputyOf) }),
            pages:
              h.pages > 0 &&
              phrase(
                ' {pages, plural, one {# page of times} other {# pages of times}} at which they can be met {pages, plural, one {goes} other {go}} when they are taken out.',
                { pages: h.pages },
              ),
          }}
        />
      </p>
      {h.namedIn.length > 0 && (
        <p className="mt-1 mb-0 max-w-[64ch] text-straw">
          {phrase('Named by name in {namedIn}: there somebody else is to be named by hand.', {
            namedIn: h.namedIn.map((n) => quoted(n)).join(', '),
          })}
        </p>
      )}
      {others.length === 0 ? (
        <p className="text-soft">{phrase('There is nobody to hand it over to. Invite somebody first.')}</p>
      ) : (
        <div className="mt-2 flex flex-wrap items-end gap-5">
          <Field label={phrase('It all goes to')} error={fieldError(hand.error, 'to')}>
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
              <Sentence m="Hand it over to {other}" v={{ other: other?.name }} />
            </Button>
            {!self && (
              <Button look="danger" className="min-h-6" disabled={hand.isPending || !other} onClick={() => hand.mutate(true)}>
                {phrase('Hand it over, and take {member} out', { member: member.name })}
              </Button>
            )}
          </span>
        </div>
      )}
      {!fieldError(hand.error, 'to') && <Trouble error={hand.error} />}
    </div>
  );
}
