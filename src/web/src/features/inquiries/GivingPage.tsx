import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { api, type Schemas, take } from '../../api/client';
import { useMay, useMemberName, useSession } from '../../app/session';
import { Button, Field, fieldError, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead, Stretch } from '../../ui/DayPage';
import { KeptNumber } from '../../ui/KeptNumber';
import { PictureChooser } from '../../ui/PictureChooser';
import { said } from '../../ui/undo';
import { week } from '../../ui/week';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { Absences } from '../members/Absences';
import { Say, SayOneOf } from '../programs/Say';

type Giving = Schemas['GivingDto'];
type Rule = Schemas['GivingRuleDto'];

const tos = [
  ['who-knows-them', phrase('to whoever looks after them already')],
  ['first', phrase('to the first who is there of')],
  ['in-turn', phrase('in turn among those who are there of')],
] as const;

/** Who gets an inquiry, as sentences in order; when the practice is reached; who is away; how public pages look. */
export default function GivingPage() {
  const giving = useQuery({ queryKey: ['giving'], queryFn: () => take(api.GET('/api/giving')) });
  if (giving.isPending) return <Loading what={phrase('Opening who gets inquiries')} />;
  return (
    <DayPage
      marginTitle={phrase('How it is decided')}
      margin={
        <>
          <h3>{phrase('How it is decided')}</h3>
          <p>
            {phrase(
              'The first sentence that names somebody who is there decides. Whoever is away has a deputy; where nobody of a sentence is there, the deputy of one of them gets it, else the next sentence is asked.',
            )}
          </p>
          <p className="mt-3">{phrase('Why somebody has an inquiry stands beside it.')}</p>
        </>
      }
    >
      <PageHead title={phrase('Who gets inquiries')} aside={<Link to="/inquiries">{phrase('Inquiries')}</Link>} />
      <Trouble error={giving.error} />
      {giving.data && <Parts giving={giving.data} />}
    </DayPage>
  );
}

/** What is saved as a whole, out of what was read. */
const bodyOf = (g: Giving): Schemas['GivingBody'] => ({
  rules: g.rules,
  reached: g.reached,
  lateDays: g.lateDays,
  veryLateDays: g.veryLateDays,
  deputyAfterHours: g.deputyAfterHours,
  deputies: g.deputies,
  colour: g.colour,
  picture: g.picture,
  address: g.address,
  word: g.word,
});

function Parts({ giving }: { giving: Giving }) {
  const queries = useQueryClient();
  const may = useMay('change-settings');
  const save = useMutation({
    meta: { says: () => phrase('who gets inquiries') },
    mutationFn: (part: Partial<Schemas['GivingBody']>) => take(api.PUT('/api/giving', { body: { ...bodyOf(giving), ...part } })),
    onSuccess: (answer) => queries.setQueryData(['giving'], answer),
  });
  const set = (part: Partial<Schemas['GivingBody']>) => {
    const before = bodyOf(giving);
    save.mutate(part, { onSuccess: () => said(phrase('It is kept.'), () => save.mutateAsync(before)) });
  };
  return (
    <>
      <Trouble error={save.error} />
      <Rules giving={giving} set={set} may={may} />
      <Waiting giving={giving} set={set} may={may} />
      <Reached giving={giving} set={set} may={may} />
      <ByMailOrText giving={giving} set={set} may={may} error={save.error} />
      <Away giving={giving} set={set} may={may} />
      <Look giving={giving} set={set} may={may} error={save.error} />
      {!may && <p className="row text-small text-soft">{phrase('A principal changes this. When you are away you say yourself.')}</p>}
    </>
  );
}

type PartProps = { giving: Giving; set: (part: Partial<Schemas['GivingBody']>) => void; may: boolean };

function Rules({ giving, set, may }: PartProps) {
  const name = useMemberName();
  const rules = giving.rules;
  const put = (i: number, part: Partial<Rule>) => set({ rules: rules.map((r, n) => (n === i ? { ...r, ...part } : r)) });
  const move = (i: number, by: number) => {
    const next = [...rules];
    const [rule] = next.splice(i, 1);
    if (rule) next.splice(i + by, 0, rule);
    set({ rules: next });
  };
  return (
    <>
      <Stretch title={phrase('In this order')} />
      {rules.map((r, i) => (
        <div key={`${i}-${r.to}-${r.form}`} className="row flex items-baseline gap-4">
          <span className="gutter">{i + 1}</span>
          <p className="m-0 flex-1 font-serif">
            <RuleWords rule={r} giving={giving} number={i + 1} put={(part) => put(i, part)} may={may} />
          </p>
          {may && (
            <span className="flex gap-3 text-small">
              {i > 0 && (
                <Button
                  look="plain"
                  onClick={() => move(i, -1)}
                  className="min-h-6 min-w-6"
                  aria-label={phrase('Ask sentence {i, number} earlier', { i: i + 1 })}
                >
                  ↑
                </Button>
              )}
              <Button
                look="plain"
                onClick={() => set({ rules: rules.filter((_, n) => n !== i) })}
                aria-label={phrase('Take sentence {i, number} out', { i: i + 1 })}
              >
                {phrase('take out')}
              </Button>
            </span>
          )}
        </div>
      ))}
      <p className="row">
        {may && (
          <Button onClick={() => set({ rules: [...rules, { form: null, topic: null, area: null, to: 'who-knows-them', members: [] }] })}>
            {phrase('+ a sentence')}
          </Button>
        )}{' '}
        <span className="text-soft">
          {phrase(
            '{rules, select, true {Everything else goes} other {Everything goes}} to whoever looks after them already, else to {otherwise}, who stands in for the practice.',
            { rules: String(rules.length > 0), otherwise: giving.otherwise ? name(giving.otherwise) : phrase('a principal') },
          )}
        </span>
      </p>
    </>
  );
}

function RuleWords({
  rule: r,
  giving,
  number,
  put,
  may,
}: {
  rule: Rule;
  giving: Giving;
  number: number;
  put: (part: Partial<Rule>) => void;
  may: boolean;
}) {
  const members = useSession().data?.members ?? [];
  const nameOf = useMemberName();
  const form = giving.forms.find((f) => f.id === r.form)?.name;
  const asked = [
    r.form ? phrase('by “{form}”', { form: form ?? phrase('a form that is gone') }) : phrase('by anything'),
    r.topic ? phrase('about “{topic}”', { topic: r.topic }) : phrase('about anything'),
    r.area ? phrase('from {area}', { area: r.area }) : phrase('from anywhere'),
  ];
  const names = r.members.map(nameOf).join(', ');
  if (!may)
    return (
      <Sentence
        m="What comes {asked} goes {find} {names}."
        v={{ asked: asked.join(', '), find: tos.find(([to]) => to === r.to)?.[1], names }}
      />
    );
  const [byForm, about, from] = asked as [string, string, string];
  return (
    <Sentence
      m="What comes {byForm}, {about}, {from} goes {find}{to}."
      v={{
        byForm: (
          <SayOneOf<string | null>
            words={byForm}
            label={phrase('Sentence {number, number}, by which form', { number })}
            soft={!r.form}
            choices={[[null, phrase('by anything')], ...giving.forms.map((f) => [f.id, phrase('by “{form}”', { form: f.name })] as const)]}
            now={r.form}
            choose={(v) => put({ form: v })}
          />
        ),
        about: (
          <SayOneOf<string | null>
            words={about}
            label={phrase('Sentence {number, number}, about what', { number })}
            soft={!r.topic}
            choices={[[null, phrase('about anything')], ...giving.topics.map((t) => [t, phrase('about “{topic}”', { topic: t })] as const)]}
            now={r.topic}
            choose={(v) => put({ topic: v })}
          />
        ),
        from: (
          <Say words={from} label={phrase('Sentence {number, number}, from where', { number })} soft={!r.area}>
            {(close) => (
              <Area
                area={r.area}
                put={(area) => {
                  put({ area });
                  close();
                }}
              />
            )}
          </Say>
        ),
        find: (
          <SayOneOf<string>
            words={tos.find(([to]) => to === r.to)?.[1] ?? ''}
            label={phrase('Sentence {number, number}, to whom', { number })}
            choices={tos}
            now={r.to}
            choose={(to) =>
              put({ to, members: to === 'who-knows-them' ? [] : r.members.length > 0 ? r.members : members.slice(0, 1).map((m) => m.id) })
            }
          />
        ),
        to: r.to !== 'who-knows-them' && (
          <>
            {' '}
            <Say words={names || phrase('nobody yet')} label={phrase('Sentence {number, number}, among whom', { number })}>
              {() => (
                <fieldset className="border-0 p-0">
                  <legend className="text-small">{phrase('Among whom')}</legend>
                  {members.map((m) => (
                    <label key={m.id} className="block text-small">
                      <input
                        type="checkbox"
                        checked={r.members.includes(m.id)}
                        onChange={(e) => put({ members: e.target.checked ? [...r.members, m.id] : r.members.filter((x) => x !== m.id) })}
                      />{' '}
                      {m.name}
                    </label>
                  ))}
                </fieldset>
              )}
            </Say>
          </>
        ),
      }}
    />
  );
}

function Area({ area, put }: { area: string | null; put: (area: string | null) => void }) {
  const [text, setText] = useState(area ?? '');
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        put(text.trim() || null);
      }}
    >
      <Field label={phrase('A town, a state or a postal code; nothing for anywhere')}>
        {(id) => <input id={id} autoFocus value={text} onChange={(e) => setText(e.target.value)} />}
      </Field>
      <Button type="submit" look="main">
        {phrase('Keep')}
      </Button>
    </form>
  );
}

function Waiting({ giving, set, may }: PartProps) {
  return (
    <>
      <Stretch title={phrase('How long they wait')} />
      <p className="row">
        <Sentence
          m="After {deputyAfterHours} working hours in which nobody has touched it, an inquiry goes to the deputy, and both are told; 0 for never. After {lateDays} working days it is late, after {veryLateDays} very late."
          v={{
            deputyAfterHours: (
              <KeptNumber
                label={phrase('Working hours before it goes to the deputy')}
                value={giving.deputyAfterHours}
                set={(n) => n !== null && set({ deputyAfterHours: n })}
                may={may}
              />
            ),
            lateDays: (
              <KeptNumber
                label={phrase('Working days before it is late')}
                value={giving.lateDays}
                set={(n) => n !== null && set({ lateDays: n })}
                may={may}
              />
            ),
            veryLateDays: (
              <KeptNumber
                label={phrase('Working days before it is very late')}
                value={giving.veryLateDays}
                set={(n) => n !== null && set({ veryLateDays: n })}
                may={may}
              />
            ),
          }}
        />
      </p>
    </>
  );
}

function Reached({ giving, set, may }: PartProps) {
  const own = giving.reached.length > 0;
  const usual = Object.keys(week)
    .slice(0, 5)
    .map((day) => ({ day, from: '09:00', to: '17:30' }));
  const put = (day: string, part: Partial<Schemas['ReachedDto']> | undefined) => {
    const others = giving.reached.filter((r) => r.day !== day);
    const next = part ? [...others, { day, from: '09:00', to: '17:30', ...giving.reached.find((r) => r.day === day), ...part }] : others;
    set({ reached: next });
  };
  return (
    <>
      <Stretch title={phrase('When we are reached')} />
      {!own && (
        <p className="row">
          <Sentence
            m="From 9 to half past five on working days. {may}"
            v={{ may: may && <Button onClick={() => set({ reached: usual })}>{phrase('other hours')}</Button> }}
          />
        </p>
      )}
      {own &&
        Object.entries(week).map(([day, name]) => {
          const hours = giving.reached.find((r) => r.day === day);
          return (
            <div key={day} className="row flex items-baseline gap-4">
              <label className="w-36">
                <input
                  type="checkbox"
                  disabled={!may}
                  checked={hours !== undefined}
                  onChange={(e) => put(day, e.target.checked ? {} : undefined)}
                />{' '}
                {name}
              </label>
              {hours && (
                <span>
                  <input
                    aria-label={phrase('{name} from', { name })}
                    type="time"
                    disabled={!may}
                    defaultValue={hours.from}
                    onBlur={(e) => e.target.value !== hours.from && put(day, { from: e.target.value })}
                  />{' '}
                  {phrase('to')}{' '}
                  <input
                    aria-label={phrase('{name} to', { name })}
                    type="time"
                    disabled={!may}
                    defaultValue={hours.to}
                    onBlur={(e) => e.target.value !== hours.to && put(day, { to: e.target.value })}
                  />
                </span>
              )}
            </div>
          );
        })}
    </>
  );
}

/** The address and the word by which one asks without a form. */
function ByMailOrText({ giving, set, may, error }: PartProps & { error: unknown }) {
  const parts = [
    ['address', phrase('What is mailed to'), 'inquiries@example.com'],
    ['word', phrase('A text that begins with'), 'ASK'],
  ] as const;
  return (
    <>
      <Stretch title={phrase('By mail or text')} />
      {parts.map(([key, words, example]) => (
        <div key={key} className="row">
          <Field label={phrase('{words} … is an inquiry', { words })} error={fieldError(error, key)}>
            {(id, by) => (
              <input
                id={id}
                aria-describedby={by}
                className="w-72"
                disabled={!may}
                placeholder={example}
                defaultValue={giving[key]}
                key={giving[key]}
                onBlur={(e) => e.target.value.trim() !== giving[key] && set({ [key]: e.target.value.trim() })}
              />
            )}
          </Field>
        </div>
      ))}
      <p className="row text-small text-soft">
        {phrase(
          'Automatic answers, newsletters and what came back are none. The mail server has to bring what comes to the address here, or into the mailbox that is read.',
        )}
      </p>
    </>
  );
}

/** Who stands in for whom, and who is away when. */
function Away({ giving, set, may }: PartProps) {
  const session = useSession().data;
  const name = useMemberName();
  const members = session?.members ?? [];
  return (
    <>
      <Stretch title={phrase('Who is away')} />
      {giving.deputies.map((d) => (
        <p key={d.member} className="row">
          <Sentence
            m="For {member} {may}."
            v={{
              member: name(d.member),
              may: may ? (
                <SayOneOf<string | null>
                  words={d.deputy ? phrase('{deputy} stands in', { deputy: name(d.deputy) }) : phrase('nobody stands in')}
                  label={phrase('Who stands in for {member}', { member: name(d.member) })}
                  soft={!d.deputy}
                  choices={[
                    [null, phrase('nobody stands in')],
                    ...members
                      .filter((m) => m.id !== d.member)
                      .map((m) => [m.id, phrase('{deputy} stands in', { deputy: m.name })] as const),
                  ]}
                  now={d.deputy}
                  choose={(deputy) => set({ deputies: [{ member: d.member, deputy }] })}
                />
              ) : d.deputy ? (
                phrase('{deputy} stands in', { deputy: name(d.deputy) })
              ) : (
                phrase('nobody stands in')
              ),
            }}
          />
        </p>
      ))}
      <Absences absences={giving.absences} line="row" />
    </>
  );
}

/** The colour and the picture of public pages. */
function Look({ giving, set, may, error }: PartProps & { error: unknown }) {
  const [trouble, setTrouble] = useState<unknown>();
  return (
    <>
      <Stretch title={phrase('How public pages look')} />
      <div className="row flex flex-wrap items-center gap-4">
        <label>
          {phrase('Their colour')}{' '}
          <input
            type="color"
            disabled={!may}
            defaultValue={giving.colour || '#38662f'}
            key={giving.colour}
            onBlur={(e) => e.target.value !== (giving.colour || '#38662f') && set({ colour: e.target.value })}
          />
        </label>
        {giving.colour && may && (
          <Button look="plain" onClick={() => set({ colour: '' })}>
            {phrase('our usual one')}
          </Button>
        )}
        {giving.picture && <img src={giving.picture} alt={phrase('As it stands above public pages')} className="max-h-12" />}
        {may && (
          <PictureChooser
            picture={giving.picture}
            label={phrase('A picture for public pages')}
            words={[phrase('a picture above them'), phrase('another picture')]}
            without={phrase('no picture')}
            set={(picture) => set({ picture })}
            trouble={setTrouble}
          />
        )}
        <span className="text-small text-ember">{fieldError(error, 'colour') ?? fieldError(error, 'picture')}</span>
        <Trouble error={trouble} />
      </div>
    </>
  );
}
