import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api, take } from '../../api/client';
import { Field } from '../../ui/bits';
import { Take } from './forms';
import type { ProgramFile } from './programFile';
import { Say, SayOneOf } from './Say';

type Props = { draft: ProgramFile; set: (part: Partial<ProgramFile>) => void };

/** What a program's messages are about and how they speak, by which consent they go, and where it stands among the others. */
export function About({ draft, set }: Props) {
  return (
    <>
      <Purpose draft={draft} set={set} /> <Policy draft={draft} set={set} /> <Group draft={draft} set={set} />
    </>
  );
}

const usual = 50;

/** Whether they are commercial (rule 10), their topic, their voice, and which of several due on one day goes first (rule 9.2). */
function Purpose({ draft, set }: Props) {
  const practice = useQuery({ queryKey: ['practice'], queryFn: () => take(api.GET('/api/practice')) });
  const purpose = draft.purpose === 'commercial' ? 'commercial' : 'transactional';
  const topic = draft.topic ? `about “${draft.topic}”` : 'about no topic';
  const voice = draft.voice ? `speak as “${draft.voice}”` : 'speak as the practice does';
  const priority =
    draft.priority === usual
      ? 'go as others do'
      : draft.priority < usual
        ? `go before others (${draft.priority})`
        : `go after others (${draft.priority})`;
  return (
    <>
      Its messages are{' '}
      <SayOneOf<ProgramFile['purpose']>
        words={purpose}
        label={`Purpose: ${purpose}`}
        soft={draft.purpose === 'commercial'}
        choices={[
          ['commercial', 'commercial: news, offers, keeping in touch; they need consent and carry a way out'],
          ['transactional', 'transactional: about something they have with you already'],
        ]}
        now={draft.purpose}
        choose={(value) => set({ purpose: value })}
      />
      ,{' '}
      <SayOneOf<string | undefined>
        words={topic}
        label={`Topic: ${topic}`}
        soft={!draft.topic}
        choices={[
          [undefined, 'no topic: whoever takes email at all gets it'],
          ...[...new Set([...(practice.data?.topics ?? []), ...(draft.topic ? [draft.topic] : [])])].map(
            (t) => [t, t] as [string | undefined, string],
          ),
        ]}
        now={draft.topic}
        choose={(value) => set({ topic: value })}
      />
      ; they{' '}
      <SayOneOf<ProgramFile['voice']>
        words={voice}
        label={`Voice: ${voice}`}
        soft={!draft.voice}
        choices={[
          [undefined, 'as the practice does'],
          ['I', 'I'],
          ['we', 'we'],
        ]}
        now={draft.voice}
        choose={(value) => set({ voice: value })}
      />{' '}
      and{' '}
      <Say words={priority} label={`Priority: ${priority}`} soft={draft.priority === usual}>
        {(close) => (
          <PriorityForm
            priority={draft.priority}
            done={(value) => {
              set({ priority: value });
              close();
            }}
          />
        )}
      </Say>
      . Read by nobody before its time, a message{' '}
      <SayOneOf<ProgramFile['unread']>
        words={draft.unread === 'waits' ? 'waits for a yes' : 'goes as it is'}
        label={`Unread: ${draft.unread === 'waits' ? 'waits for a yes' : 'goes as it is'}`}
        soft={draft.unread !== 'waits'}
        choices={[
          [undefined, 'goes as it is'],
          ['waits', 'waits for a yes: somebody reads it first, under Today, Going out'],
        ]}
        now={draft.unread}
        choose={(unread) => set({ unread })}
      />
      .
    </>
  );
}

function PriorityForm({ priority, done }: { priority: number; done: (priority: number) => void }) {
  const [typed, setTyped] = useState(String(priority));
  const number = Number(typed);
  return (
    <Take done={() => Number.isInteger(number) && number >= 1 && number <= 1000 && done(number)}>
      <Field label="Priority" hint="From 1 for the first; 50 is usual. Where several are due for somebody on one day, the first go first.">
        {(id, by) => (
          <input
            id={id}
            aria-describedby={by}
            type="number"
            min={1}
            max={1000}
            className="w-24"
            value={typed}
            onChange={(e) => setTyped(e.target.value)}
          />
        )}
      </Field>
    </Take>
  );
}

/** Under what it stands in the list of programs; the names there are already are offered. */
function Group({ draft, set }: Props) {
  const programs = useQuery({ queryKey: ['programs'], queryFn: () => take(api.GET('/api/programs')) });
  const known = [...new Set((programs.data ?? []).flatMap((p) => p.group ?? []))];
  const words = draft.group ? `under “${draft.group}”` : 'under no group';
  return (
    <>
      Stands{' '}
      <Say words={words} label={`Group: ${words}`} soft={!draft.group}>
        {(close) => (
          <GroupForm
            group={draft.group ?? ''}
            known={known}
            done={(group) => {
              set({ group: group || undefined });
              close();
            }}
          />
        )}
      </Say>
      .
    </>
  );
}

function GroupForm({ group, known, done }: { group: string; known: string[]; done: (group: string) => void }) {
  const [typed, setTyped] = useState(group);
  return (
    <Take done={() => done(typed.trim())}>
      <Field label="Group" hint="Programs of one group stand together in the list; empty for none.">
        {(id, by) => (
          <>
            <input
              id={id}
              aria-describedby={by}
              list="groups-known"
              maxLength={80}
              className="w-full"
              value={typed}
              onChange={(e) => setTyped(e.target.value)}
            />
            <datalist id="groups-known">
              {known.map((g) => (
                <option key={g} value={g} />
              ))}
            </datalist>
          </>
        )}
      </Field>
    </Take>
  );
}

/** The policy of consent it goes by; said only where there is one to pick, or one was picked. */
function Policy({ draft, set }: Props) {
  const practice = useQuery({ queryKey: ['practice'], queryFn: () => take(api.GET('/api/practice')) });
  const names = practice.data?.policies.map((p) => p.name) ?? [];
  if (names.length === 0 && !draft.policy) return null;
  const words = draft.policy ? `the policy “${draft.policy}”` : 'the practice’s own rules';
  return (
    <>
      Of consent it goes by{' '}
      <SayOneOf
        words={words}
        label={`Consent: ${words}`}
        soft={!draft.policy}
        choices={[undefined, ...names].map((name) => [name, name ?? 'the practice’s own rules'])}
        now={draft.policy}
        choose={(policy) => set({ policy })}
      />
      .
    </>
  );
}
