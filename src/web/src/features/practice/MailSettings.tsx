import { useMutation } from '@tanstack/react-query';
import { api, type Schemas, take } from '../../api/client';
import { useMay } from '../../app/session';
import { Button, Field, Trouble } from '../../ui/bits';
import { phrase } from '../../words/phrase';
import { TextSetting } from './fields';
import { draftOf, type Server, type SettingsForm } from './settings';

/** The servers of mail, and the number of texts. */
export function MailSettings(form: SettingsForm) {
  const { draft, set, wrong } = form;
  const seesServers = useMay('see-servers');
  return (
    <>
      <TextSetting
        label={phrase('Texts go out from, and answers come to')}
        hint={phrase('in international form; without a number the installation’s own is used')}
        className="w-56"
        value={draft.textNumber}
        set={(textNumber) => set({ textNumber })}
        error={wrong('textNumber')}
      />
      {seesServers && <Servers {...form} />}
    </>
  );
}

function Servers({ practice, draft, set, wrong }: SettingsForm) {
  const kept = draftOf(practice);
  return (
    <>
      <ServerFields
        title={phrase('Mail goes out by')}
        server={draft.mailOut}
        set={(mailOut) => set({ mailOut })}
        error={wrong('mailOut')}
        kept={practice.mailOut?.hasPassword}
      />
      <Test
        label={phrase('Send me a test')}
        server={draft.mailOut}
        kept={kept.mailOut}
        call={(body) => take(api.POST('/api/practice/mail-test', { body }))}
      />
      <ServerFields
        title={phrase('Answers are read from the mailbox at')}
        server={draft.mailIn}
        set={(mailIn) => set({ mailIn })}
        error={wrong('mailIn')}
        kept={practice.mailIn?.hasPassword}
      />
      <Test
        label={phrase('Read it now')}
        server={draft.mailIn}
        kept={kept.mailIn}
        call={(body) => take(api.POST('/api/practice/mailbox-test', { body }))}
      />
    </>
  );
}

function ServerFields({
  title,
  server,
  set,
  error,
  kept,
}: {
  title: string;
  server: Server;
  set: (server: Server) => void;
  error?: string;
  kept?: boolean;
}) {
  return (
    <Field label={title} error={error} hint={phrase("without a host the installation's own way is used")}>
      {(id, by) => (
        <span className="flex flex-wrap gap-2">
          <input
            id={id}
            aria-describedby={by}
            placeholder={phrase('host')}
            className="w-56"
            value={server.host}
            onChange={(e) => set({ ...server, host: e.target.value })}
          />
          <input
            aria-label={phrase('{title}: port', { title })}
            type="number"
            className="w-20"
            value={server.port}
            onChange={(e) => set({ ...server, port: Number(e.target.value) })}
          />
          <select
            aria-label={phrase('{title}: security', { title })}
            value={server.security}
            onChange={(e) => set({ ...server, security: e.target.value })}
          >
            <option value="starttls">{phrase('STARTTLS')}</option>
            <option value="tls">{phrase('TLS')}</option>
            <option value="none">{phrase('none')}</option>
          </select>
          <input
            aria-label={phrase('{title}: name', { title })}
            placeholder={phrase('name to sign in with')}
            autoComplete="off"
            value={server.user}
            onChange={(e) => set({ ...server, user: e.target.value })}
          />
          <input
            aria-label={phrase('{title}: password', { title })}
            type="password"
            autoComplete="new-password"
            placeholder={kept ? phrase('kept as it is') : phrase('password')}
            value={server.password ?? ''}
            onChange={(e) => set({ ...server, password: e.target.value || null })}
          />
        </span>
      )}
    </Field>
  );
}

/** Tries what stands on the page, and says so where that is not kept yet. What is changed afterwards has not been tried. */
function Test({
  label,
  server,
  kept,
  call,
}: {
  label: string;
  server: Server;
  kept: Server;
  call: (server: Server) => Promise<Schemas['TestAnswer']>;
}) {
  const test = useMutation({ mutationFn: call });
  const tried = test.data && JSON.stringify(test.variables) === JSON.stringify(server);
  const saved = JSON.stringify(server) === JSON.stringify(kept);
  return (
    <p className="mt-0 mb-5 text-small">
      <Button onClick={() => test.mutate(server)} disabled={test.isPending}>
        {label}
      </Button>{' '}
      {tried && test.data && (
        <span role="status" className={test.data.worked ? 'text-leaf' : 'text-ember'}>
          {test.data.worked ? phrase('It worked') : phrase('It did not work')}: {test.data.words}
          {!saved && phrase(' These settings are not kept yet.')}
        </span>
      )}
      <Trouble error={test.error} />
    </p>
  );
}
