import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { api, type Schemas, take } from '../../api/client';
import { useNow } from '../../app/session';
import { Button, Empty, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead, Stretch } from '../../ui/DayPage';
import { nearDay } from '../../ui/when';
import { locale, phrase, within } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';

type Subject = Schemas['SubjectDto'];
type Stands = 'may' | 'unsaid' | 'no' | 'noWay' | 'notAtAll';
type Asked = { channel: string; subject: string; stands: Stands };

const channels: Record<string, string> = { email: phrase('Email'), text: phrase('Texts'), call: phrase('Calls'), post: phrase('Post') };

/** How people stand, in a word over a column and in a sentence over their names. */
const ways: [Stands, string, string][] = [
  ['may', phrase('may'), phrase('may be reached')],
  ['unsaid', phrase('nobody asked'), phrase('have not said that we may')],
  ['no', phrase('said no'), phrase('said no')],
  ['noWay', phrase('no way there'), phrase('have no address there, or mail there came back')],
  ['notAtAll', phrase('not at all'), phrase('are marked “do not contact”')],
];

const subjectName = (s: string) =>
  s === 'commercial' ? phrase('keeping in touch') : s === 'transactional' ? phrase('about their own dealings') : s;

/** What may be sent to whom, by channel and subject, in numbers and names; and who is lost soon because a basis runs out. */
export default function ConsentGlance() {
  const [asked, setAsked] = useState<Asked>();
  const { now, zone } = useNow();
  const glance = useQuery({ queryKey: ['consent'], queryFn: () => take(api.GET('/api/consent')) });
  const g = glance.data;
  return (
    <DayPage marginTitle={phrase('Who that is')} margin={<Names asked={asked} />}>
      <PageHead
        title={phrase('May we')}
        aside={
          <span className="flex gap-5">
            {g && <span>{phrase('{people, plural, one {# person} other {# people}}', { people: g.people })}</span>}
            <Link to="/people">{phrase('All people')}</Link>
            <Link to="/practice">{phrase('The practice')}</Link>
          </span>
        }
      />
      {glance.error && (
        <div className="px-7">
          <Trouble error={glance.error} />
        </div>
      )}
      {!g ? (
        <Loading />
      ) : (
        <>
          {g.channels.map((c) => (
            <section key={c.channel} aria-label={channels[c.channel]}>
              <Stretch
                title={channels[c.channel] ?? c.channel}
                note={c.policy === 'strict' ? phrase('only to those who said yes') : phrase('to everybody who did not say no')}
              />
              <div className="overflow-x-auto">
                <table className="w-full border-collapse text-small">
                  <thead>
                    <tr className="text-left text-soft">
                      <th className="py-1.5 pr-3 pl-7 font-normal">{phrase('for')}</th>
                      {ways.map(([way, word]) => (
                        <th key={way} className="w-28 py-1.5 pr-7 text-right font-normal">
                          {word}
                        </th>
                      ))}
                    </tr>
                  </thead>
                  <tbody>
                    {c.subjects.map((s) => (
                      <tr key={s.subject} className="border-t border-rule">
                        <th className="py-1.5 pr-3 pl-7 text-left font-semibold">{subjectName(s.subject)}</th>
                        {ways.map(([way]) => (
                          <HowMany key={way} way={way} subject={s} channel={c.channel} asked={asked} ask={setAsked} />
                        ))}
                      </tr>
                    ))}
                  </tbody>
                </table>
              </div>
            </section>
          ))}
          <Stretch
            title={phrase('Lost within thirty days')}
            note={
              g.lostInAll > g.lost.length
                ? phrase('the next {lost, number} of {lostInAll, number}', { lost: g.lost.length, lostInAll: g.lostInAll })
                : g.lostInAll === 0
                  ? phrase('nobody')
                  : phrase('because what they gave runs out; a call or a letter before then can ask them')
            }
          />
          {g.lost.map((l) => (
            <div key={`${l.person.id}${l.channel}`} className="row">
              <span className="gutter">{nearDay(l.until, zone, now)}</span>
              <Link to={`/people/${l.person.id}`} className="font-semibold text-ink no-underline hover:underline">
                {l.person.name}
              </Link>{' '}
              <span className="text-small text-soft">
                <Sentence
                  m="{channels}, as {basis, select, true {they inquired} other {they are a client}}"
                  v={{ channels: within(channels[l.channel] ?? l.channel), basis: String(l.basis === 'inquiry') }}
                />
              </span>
            </div>
          ))}
          {g.people === 0 && <Empty>{phrase('Nobody is here yet.')}</Empty>}
        </>
      )}
    </DayPage>
  );
}

function HowMany({
  way,
  subject,
  channel,
  asked,
  ask,
}: {
  way: Stands;
  subject: Subject;
  channel: string;
  asked?: Asked;
  ask: (asked: Asked) => void;
}) {
  const n = subject[way];
  const on = asked?.channel === channel && asked.subject === subject.subject && asked.stands === way;
  return (
    <td className={`py-1.5 pr-7 text-right tabular-nums ${on ? 'bg-picked' : ''}`}>
      {n === 0 ? (
        <span className="text-soft">0</span>
      ) : (
        <Button
          look={way === 'may' ? 'quiet' : 'plain'}
          aria-pressed={on}
          aria-label={`${n.toLocaleString(locale())} ${ways.find(([w]) => w === way)?.[2]}, ${within(channels[channel] ?? channel)}, ${subjectName(subject.subject)}`}
          onClick={() => ask({ channel, subject: subject.subject, stands: way })}
        >
          {n.toLocaleString(locale())}
        </Button>
      )}
    </td>
  );
}

function Names({ asked }: { asked?: Asked }) {
  const names = useQuery({
    queryKey: ['consent', 'names', asked],
    enabled: Boolean(asked),
    queryFn: () =>
      take(
        api.GET('/api/consent/names', {
          params: {
            query: {
              channel: asked?.channel ?? '',
              subject: asked?.subject ?? '',
              stands: (asked?.stands ?? '').replace(/[A-Z]/g, (l) => `-${l.toLowerCase()}`),
            },
          },
        }),
      ),
  });
  if (!asked) {
    return (
      <>
        <h3>{phrase('Who that is')}</h3>
        <p>{phrase('Press a number to see who they are. What each of them said, and when, stands on their page under “May we”.')}</p>
      </>
    );
  }
  const people = names.data ?? [];
  return (
    <>
      <h2>
        {channels[asked.channel]}, {subjectName(asked.subject)}
      </h2>
      <p>
        <Sentence m="They {find}." v={{ find: ways.find(([w]) => w === asked.stands)?.[2] }} />
      </p>
      <Trouble error={names.error} />
      <ul className="m-0 list-none p-0" aria-live="polite">
        {people.map((p) => (
          <li key={p.id} className="py-0.5">
            <Link to={`/people/${p.id}`}>{p.name}</Link>
          </li>
        ))}
      </ul>
      {people.length === 200 && <p className="text-soft">{phrase('and more; the first 200 by name stand here')}</p>}
    </>
  );
}
