import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { toast } from 'sonner';
import { api, type Schemas, take } from '../../api/client';
import { useMay, useSession } from '../../app/session';
import { Button, Field, fieldError, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead, Stretch } from '../../ui/DayPage';
import { week } from '../../ui/week';
import { machineMoment } from '../../ui/when';
import { codeWord } from '../../words/codes';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { SayOneOf } from '../programs/Say';
import { Absences } from './Absences';
import { HandOver } from './HandOver';

type Team = Schemas['TeamDto'];
type Member = Schemas['TeamMemberDto'];

const roleWords = { principal: phrase('a principal'), adviser: phrase('an adviser'), assistant: phrase('an assistant') } as const;
const roles = Object.keys(roleWords) as (keyof typeof roleWords)[];

/** Who belongs to the practice, what they may, what they can do in a day, and who stands in for them. */
export default function MembersPage() {
  const team = useQuery({ queryKey: ['members'], queryFn: () => take(api.GET('/api/members')) });
  const [picked, setPicked] = useState<string>();
  const may = useMay('keep-members');
  const member = team.data?.members.find((m) => m.id === picked);
  return (
    <DayPage marginTitle={phrase('What each role may')} margin={team.data && <Roles team={team.data} />}>
      <PageHead title={phrase('Members')} aside={<Link to="/practice">{phrase('The practice')}</Link>} />
      <div className="px-7">
        <Trouble error={team.error} />
      </div>
      {team.data ? (
        <>
          <Stretch title={phrase('{members, plural, one {# member} other {# members}}', { members: team.data.members.length })} />
          {team.data.members.map((m) => (
            <MemberLine
              key={m.id}
              member={m}
              team={team.data}
              open={m.id === member?.id}
              pick={() => setPicked(m.id === picked ? undefined : m.id)}
            />
          ))}
          {may && <Invite />}
          {may && <Asking team={team.data} />}
        </>
      ) : (
        !team.error && <Loading />
      )}
    </DayPage>
  );
}

function Roles({ team }: { team: Team }) {
  return (
    <>
      {team.roles.map((r) => (
        <div key={r.role} className="mb-4">
          <h3>{codeWord(r.role)}</h3>
          {r.may.length === 0 ? (
            <p>{phrase('Works with people, calls, tasks and inquiries, and writes drafts; nothing that is sent to many.')}</p>
          ) : (
            <p>{phrase('Besides what everybody may: {may}.', { may: r.may.join(' · ') })}</p>
          )}
        </div>
      ))}
    </>
  );
}

const stateWords = (m: Member) =>
  m.state === 'here'
    ? ''
    : m.state === 'blocked'
      ? phrase('blocked')
      : m.invitedUntil
        ? phrase('invited, good until {invitedUntil}', { invitedUntil: machineMoment(m.invitedUntil) })
        : phrase('invited; the invitation is good no more');

function useTeamAnew() {
  const queries = useQueryClient();
  return () => {
    for (const key of ['members', 'session', 'giving', 'beginning', 'today', 'almanac']) queries.invalidateQueries({ queryKey: [key] });
  };
}

function MemberLine({ member: m, team, open, pick }: { member: Member; team: Team; open: boolean; pick: () => void }) {
  const may = useMay('keep-members');
  const me = useSession().data?.member?.id;
  const state = stateWords(m);
  return (
    <div className={`row ${open ? 'on' : ''}`} aria-current={open}>
      <div className="flex items-baseline gap-4">
        <button type="button" data-pick className="min-h-6 min-w-0 flex-1 text-left" aria-expanded={open} onClick={pick}>
          <b className="font-semibold">{m.name}</b>{' '}
          <span className="text-soft">
            · {codeWord(m.role)} · {m.email}
          </span>
          {m.office && <span className="text-soft"> · {m.office}</span>}
          {state && <span className={m.state === 'blocked' ? 'text-ember' : 'text-straw'}> · {state}</span>}
        </button>
        <span className="text-small text-soft max-[699px]:hidden">
          {m.people > 0 ? phrase('looks after {people, plural, one {# person} other {# people}}', { people: m.people }) : ''}
        </span>
      </div>
      {open && <MemberDetail member={m} team={team} may={may} self={m.id === me} />}
    </div>
  );
}

function MemberDetail({ member: m, team, may, self }: { member: Member; team: Team; may: boolean; self: boolean }) {
  const anew = useTeamAnew();
  const [handing, setHanding] = useState(false);
  const path = { params: { path: { id: m.id } } };
  const change = useMutation({
    meta: { says: () => m.name },
    mutationFn: (part: Partial<Schemas['MemberBody']>) =>
      take(api.PUT('/api/members/{id}', { ...path, body: { role: m.role, capacity: m.capacity, deputy: m.deputy ?? null, ...part } })),
    onSuccess: anew,
  });
  const block = useMutation({
    mutationFn: () => take(m.state === 'blocked' ? api.POST('/api/members/{id}/unblock', path) : api.POST('/api/members/{id}/block', path)),
    onSuccess: anew,
  });
  const again = useMutation({ mutationFn: () => take(api.POST('/api/members/{id}/invite', path)), onSuccess: anew });
  const unfactor = useMutation({
    mutationFn: () => take(api.POST('/api/members/{id}/factor/end', path)),
    onSuccess: () => {
      anew();
      toast(phrase('No second factor is asked of {name} until they set one up anew.', { name: m.name }));
    },
  });
  const others = team.members.filter((o) => o.id !== m.id && o.state !== 'blocked');
  const deputy = team.members.find((o) => o.id === m.deputy);
  const limited = Object.keys(m.capacity).length > 0;
  return (
    <div className="mt-1">
      <p className="m-0 max-w-[60ch] font-serif">
        <Sentence
          m="{name} is {may}. When they are away, {may2}. {name} sees {may3}. {hasFactor, select, true {A second factor or a passkey is set up.} other {No second factor is set up.}}"
          v={{
            name: m.name,
            may: may ? (
              <SayOneOf
                words={roleWords[m.role as keyof typeof roleWords] ?? m.role}
                label={phrase('What {name} is', { name: m.name })}
                now={m.role}
                choices={roles.map((r) => [r, roleWords[r]] as const)}
                choose={(role) => change.mutate({ role })}
              />
            ) : (
              <b>{roleWords[m.role as keyof typeof roleWords] ?? m.role}</b>
            ),
            may2: may ? (
              <SayOneOf
                words={deputy ? phrase('{deputy} stands in', { deputy: deputy.name }) : phrase('nobody stands in')}
                label={phrase('Who stands in for {name}', { name: m.name })}
                now={m.deputy ?? ''}
                choices={[
                  ['', phrase('nobody stands in')] as const,
                  ...others.map((o) => [o.id, phrase('{deputy} stands in', { deputy: o.name })] as const),
                ]}
                choose={(id) => change.mutate({ deputy: id || null })}
              />
            ) : (
              <b>{deputy ? phrase('{deputy} stands in', { deputy: deputy.name }) : phrase('nobody stands in')}</b>
            ),
            may3:
              may && m.role !== 'principal' ? (
                <SayOneOf
                  words={seesWords(m)}
                  label={phrase('Whom {name} sees', { name: m.name })}
                  now={String(m.seesOwn)}
                  choices={[
                    ['false', phrase('everybody')] as const,
                    ['true', phrase('their own people, nobody’s, and their office’s')] as const,
                  ]}
                  choose={(own) => change.mutate({ seesOwn: own === 'true' })}
                />
              ) : (
                <b>{seesWords(m)}</b>
              ),
            hasFactor: String(m.hasFactor),
          }}
        />
      </p>
      <div className="mt-3 flex flex-wrap gap-x-8">
        <Office member={m} team={team} may={may} keep={(office) => change.mutate({ office })} />
        <SendsFrom member={m} may={may} error={fieldError(change.error, 'sendsFrom')} keep={(sendsFrom) => change.mutate({ sendsFrom })} />
      </div>
      <Absences absences={m.absences} of={m.id} line="my-1" />
      <fieldset className="m-0 mt-2 border-0 p-0" disabled={!may}>
        <legend className="text-small text-soft">
          {phrase('Calls {name} can make in a day{limited, select, true {} other {: as many as there are}}', {
            name: m.name,
            limited: String(limited),
          })}
        </legend>
        <div className="flex flex-wrap gap-3">
          {Object.entries(week).map(([day, name]) => (
            <label key={day} className="text-small text-soft">
              {name.slice(0, 3)}
              <input
                type="number"
                min={0}
                max={500}
                className="ml-1.5 w-14"
                aria-label={phrase('Calls on {name}', { name })}
                defaultValue={m.capacity[day] ?? (limited ? 0 : '')}
                key={`${m.id}-${day}-${m.capacity[day] ?? ''}-${limited}`}
                onBlur={(e) => {
                  const { [day]: before, ...rest } = m.capacity;
                  if (e.target.value === '' ? before === undefined : Number(e.target.value) === before) return;
                  change.mutate({ capacity: e.target.value === '' ? rest : { ...m.capacity, [day]: Number(e.target.value) } });
                }}
              />
            </label>
          ))}
        </div>
      </fieldset>
      <Trouble error={(fieldError(change.error, 'sendsFrom') ? null : change.error) ?? block.error ?? again.error ?? unfactor.error} />
      {again.data && <InvitationAddress address={again.data.address} />}
      {may && (
        <div className="mt-2 flex flex-wrap gap-5">
          {m.state === 'invited' && (
            <Button className="min-h-6" disabled={again.isPending} onClick={() => again.mutate()}>
              {phrase('Invite again')}
            </Button>
          )}
          {m.hasFactor && !self && (
            <Button className="min-h-6" disabled={unfactor.isPending} onClick={() => unfactor.mutate()}>
              {phrase('Lost their second factor')}
            </Button>
          )}
          <Button className="min-h-6" aria-expanded={handing} onClick={() => setHanding(!handing)}>
            {self ? phrase('Hand over what you have') : phrase('Hand over, take out')}
          </Button>
          {!self && (
            <Button
              look={m.state === 'blocked' ? 'quiet' : 'danger'}
              className="min-h-6"
              disabled={block.isPending}
              onClick={() => block.mutate()}
            >
              {m.state === 'blocked' ? phrase('Let in again') : phrase('Block')}
            </Button>
          )}
        </div>
      )}
      {handing && <HandOver member={m} others={others} self={self} done={anew} />}
    </div>
  );
}

const seesWords = (m: Member) => (m.seesOwn ? phrase('their own people, nobody’s, and their office’s') : phrase('everybody'));

/** The office or team whose members share their people. */
function Office({ member: m, team, may, keep }: { member: Member; team: Team; may: boolean; keep: (office: string) => void }) {
  if (!may) return m.office ? <p className="my-1">{phrase('They belong to {office}.', { office: m.office })}</p> : null;
  const offices = [...new Set(team.members.map((o) => o.office).filter(Boolean))].sort();
  return (
    <Field label={phrase('Office or team')} hint={phrase('who sees only their own people sees those of the others in it too')}>
      {(id, by) => (
        <>
          <input
            id={id}
            aria-describedby={by}
            className="w-64"
            list={`${id}-offices`}
            defaultValue={m.office}
            key={`${m.id}-${m.office}`}
            onBlur={(e) => e.target.value.trim() !== m.office && keep(e.target.value.trim())}
          />
          <datalist id={`${id}-offices`}>
            {offices.map((o) => (
              <option key={o} value={o} />
            ))}
          </datalist>
        </>
      )}
    </Field>
  );
}

/** The address a member's letters come from. */
function SendsFrom({ member: m, may, error, keep }: { member: Member; may: boolean; error?: string; keep: (address: string) => void }) {
  if (!may) return m.sendsFrom ? <p className="my-1">{phrase('Letters come from {sendsFrom}.', { sendsFrom: m.sendsFrom })}</p> : null;
  return (
    <Field label={phrase('Letters come from')} error={error} hint={phrase('without one, from {email}', { email: m.email })}>
      {(id, by) => (
        <input
          id={id}
          aria-describedby={by}
          type="email"
          className="w-64"
          placeholder={m.email}
          defaultValue={m.sendsFrom}
          key={`${m.id}-${m.sendsFrom}`}
          onBlur={(e) => e.target.value.trim() !== m.sendsFrom && keep(e.target.value.trim())}
        />
      )}
    </Field>
  );
}

function InvitationAddress({ address }: { address: string }) {
  return (
    <p className="my-2 max-w-[70ch] border-l-[3px] border-leaf bg-leaf-pale px-3 py-2" role="status">
      {phrase(
        'The invitation is on its way by mail. Where mail does not go out yet, hand this address over yourself; it works once, for three days:',
      )}{' '}
      <code className="break-all">{address}</code>
    </p>
  );
}

/** Somebody new is asked to join. */
export function Invite({ done }: { done?: () => void }) {
  const anew = useTeamAnew();
  const [name, setName] = useState('');
  const [email, setEmail] = useState('');
  const [role, setRole] = useState<string>('adviser');
  const invite = useMutation({
    mutationFn: () => take(api.POST('/api/members', { body: { name, email, role } })),
    onSuccess: () => {
      setName('');
      setEmail('');
      anew();
      done?.();
    },
  });
  return (
    <>
      <Stretch title={phrase('Invite somebody')} />
      <form
        className="px-7 py-3"
        onSubmit={(e) => {
          e.preventDefault();
          invite.mutate();
        }}
      >
        <div className="flex flex-wrap gap-x-6">
          <Field label={phrase('Their name')}>
            {(id) => <input id={id} className="w-56" value={name} onChange={(e) => setName(e.target.value)} />}
          </Field>
          <Field label={phrase('Their email address')} error={fieldError(invite.error, 'email')}>
            {(id, by) => (
              <input
                id={id}
                aria-describedby={by}
                type="email"
                required
                className="w-64"
                value={email}
                onChange={(e) => setEmail(e.target.value)}
              />
            )}
          </Field>
          <Field label={phrase('As')} error={fieldError(invite.error, 'role')}>
            {(id, by) => (
              <select id={id} aria-describedby={by} value={role} onChange={(e) => setRole(e.target.value)}>
                {roles.map((r) => (
                  <option key={r} value={r}>
                    {roleWords[r]}
                  </option>
                ))}
              </select>
            )}
          </Field>
        </div>
        {!fieldError(invite.error, 'email') && <Trouble error={invite.error} />}
        {invite.data && <InvitationAddress address={invite.data.address} />}
        <Button type="submit" look="main" disabled={invite.isPending}>
          {phrase('Invite')}
        </Button>
      </form>
    </>
  );
}

/** Whether everybody has to have a second factor. */
function Asking({ team }: { team: Team }) {
  const anew = useTeamAnew();
  const set = useMutation({
    mutationFn: (asked: boolean) => take(api.PUT('/api/members/factors', { body: { asked } })),
    onSuccess: anew,
  });
  const without = team.members.filter((m) => m.state === 'here' && !m.hasFactor).length;
  return (
    <>
      <Stretch title={phrase('Signing in')} />
      <div className="row">
        <label className="inline-flex min-h-6 items-center">
          <input
            type="checkbox"
            className="mr-2"
            checked={team.factorAsked}
            disabled={set.isPending}
            onChange={(e) => set.mutate(e.target.checked)}
          />
          {phrase('Everybody needs a second factor or a passkey')}
        </label>
        <span className="block text-small text-soft">
          {without === 0
            ? phrase('Everybody who is here has one.')
            : phrase(
                '{without, plural, one {# member has} other {# members have}} none yet; {factorAsked, select, true {they are led to set one up before anything else.} other {asked, they are led to set one up before anything else.}}',
                { without, factorAsked: String(team.factorAsked) },
              )}
        </span>
        <Trouble error={set.error} />
      </div>
    </>
  );
}
