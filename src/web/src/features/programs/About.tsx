import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api, take } from '../../api/client';
import { Field } from '../../ui/bits';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
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
  const purpose = draft.purpose === 'commercial' ? phrase('commercial') : phrase('transactional');
  const topic = draft.topic ? phrase('about “{topic}”', { topic: draft.topic }) : phrase('about no topic');
  const voice = draft.voice ? phrase('speak as “{voice}”', { voice: draft.voice }) : phrase('speak as the practice does');
  const priority =
    draft.priority === usual
      ? phrase('go as others do')
      : draft.priority < usual
        ? phrase('go before others ({priority, number})', { priority: draft.priority })
        : phrase('go after others ({priority, number})', { priority: draft.priority });
  return (
    <Sentence
      m="Its messages are {purpose}, {topic}; they {voice} and {priority}. Read by nobody before its time, a message {unread}."
      v={{
        purpose: (
          <SayOneOf<ProgramFile['purpose']>
            words={purpose}
            label={phrase('Purpose: {purpose}', { purpose })}
            soft={draft.purpose === 'commercial'}
            choices={[
              ['commercial', phrase('commercial: news, offers, keeping in touch; they need consent and carry a way out')],
              ['transactional', phrase('transactional: about something they have with you already')],
            ]}
            now={draft.purpose}
            choose={(value) => set({ purpose: value })}
          />
        ),
        topic: (
          <SayOneOf<string | undefined>
            words={topic}
            label={phrase('Topic: {topic}', { topic })}
            soft={!draft.topic}
            choices={[
              [undefined, phrase('no topic: whoever takes email at all gets it')],
              ...[...new Set([...(practice.data?.topics ?? []), ...(draft.topic ? [draft.topic] : [])])].map(
                (t) => [t, t] as [string | undefined, string],
              ),
            ]}
            now={draft.topic}
            choose={(value) => set({ topic: value })}
          />
        ),
        voice: (
          <SayOneOf<ProgramFile['voice']>
            words={voice}
            label={phrase('Voice: {voice}', { voice })}
            soft={!draft.voice}
            choices={[
              [undefined, phrase('as the practice does')],
              ['I', 'I'],
              ['we', 'we'],
            ]}
            now={draft.voice}
            choose={(value) => set({ voice: value })}
          />
        ),
        priority: (
          <Say words={priority} label={phrase('Priority: {priority}', { priority })} soft={draft.priority === usual}>
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
        ),
        unread: (
          <SayOneOf<ProgramFile['unread']>
            words={draft.unread === 'waits' ? phrase('waits for a yes') : phrase('goes as it is')}
            label={phrase('Unread: {unread, select, true {waits for a yes} other {goes as it is}}', {
              unread: String(draft.unread === 'waits'),
            })}
            soft={draft.unread !== 'waits'}
            choices={[
              [undefined, phrase('goes as it is')],
              ['waits', phrase('waits for a yes: somebody reads it first, under Today, Going out')],
            ]}
            now={draft.unread}
            choose={(unread) => set({ unread })}
          />
        ),
      }}
    />
  );
}

function PriorityForm({ priority, done }: { priority: number; done: (priority: number) => void }) {
  const [typed, setTyped] = useState(String(priority));
  const number = Number(typed);
  return (
    <Take done={() => Number.isInteger(number) && number >= 1 && number <= 1000 && done(number)}>
      <Field
        label={phrase('Priority')}
        hint={phrase('From 1 for the first; 50 is usual. Where several are due for somebody on one day, the first go first.')}
      >
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
  const words = draft.group ? phrase('under “{group}”', { group: draft.group }) : phrase('under no group');
  return (
    <Sentence
      m="Stands {words}."
      v={{
        words: (
          <Say words={words} label={phrase('Group: {words}', { words })} soft={!draft.group}>
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
        ),
      }}
    />
  );
}

function GroupForm({ group, known, done }: { group: string; known: string[]; done: (group: string) => void }) {
  const [typed, setTyped] = useState(group);
  return (
    <Take done={() => done(typed.trim())}>
      <Field label={phrase('Group')} hint={phrase('Programs of one group stand together in the list; empty for none.')}>
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
  const words = draft.policy ? phrase('the policy “{policy}”', { policy: draft.policy }) : phrase('the practice’s own rules');
  return (
    <Sentence
      m="Of consent it goes by {words}."
      v={{
        words: (
          <SayOneOf
            words={words}
            label={phrase('Consent: {words}', { words })}
            soft={!draft.policy}
            choices={[undefined, ...names].map((name) => [name, name ?? phrase('the practice’s own rules')])}
            now={draft.policy}
            choose={(policy) => set({ policy })}
          />
        ),
      }}
    />
  );
}
