import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api, take } from '../../api/client';
import { Field } from '../../ui/bits';
import { phrase } from '../../words/phrase';
import { Take } from './forms';
import type { MessageStep, To } from './programFile';

/** Who reads a message: the person it is about, whoever looks after them, or people who are their …. */
export function ReaderForm({ step, done }: { step: MessageStep; done: (to: To | undefined) => void }) {
  const given = typeof step.to === 'object' ? step.to.relation : undefined;
  const [who, setWho] = useState(typeof step.to === 'object' ? 'relation' : (step.to ?? 'person'));
  const [role, setRole] = useState(given);
  const known = useQuery({
    queryKey: ['rule-names', 'relation'],
    queryFn: () => take(api.GET('/api/rules/names', { params: { query: { field: 'relation' } } })),
  }).data;
  const roles = [...new Set([...(given ? [given] : []), ...(known?.map((r) => r.value) ?? [])])];
  const chosen = role ?? roles[0] ?? '';
  return (
    <Take done={() => done(who === 'person' ? undefined : who === 'owner' ? 'owner' : { relation: chosen })}>
      <Field label={phrase('It goes to')}>
        {(id) => (
          <select id={id} className="w-full" value={who} onChange={(e) => setWho(e.target.value)}>
            <option value="person">{phrase('the person it is about')}</option>
            <option value="relation">{phrase('people who are their …')}</option>
            {(step.kind === 'email' || step.to === 'owner') && <option value="owner">{phrase('the member who looks after them')}</option>}
          </select>
        )}
      </Field>
      {who === 'relation' && (
        <Field
          label={phrase('Their')}
          hint={phrase('Each gets one of their own, if they may be written to. Fields that begin with “to” are theirs.')}
        >
          {(id, by) => (
            <select id={id} aria-describedby={by} required className="w-full" value={chosen} onChange={(e) => setRole(e.target.value)}>
              {roles.map((r) => (
                <option key={r} value={r}>
                  {r}
                </option>
              ))}
            </select>
          )}
        </Field>
      )}
    </Take>
  );
}
