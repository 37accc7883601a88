// A mail provider of the real kind, on loopback: Debian's dovecot takes mail by submission and keeps mailboxes, and lets in whoever has a token of an issuer.
import { execFileSync, spawn } from 'node:child_process';
import fs from 'node:fs';
import net from 'node:net';
import path from 'node:path';
import { until } from './stack.mjs';

const answers = (port) =>
  new Promise((resolve) => {
    const socket = net.connect(port, '127.0.0.1', () => {
      socket.destroy();
      resolve(true);
    });
    socket.on('error', () => resolve(false));
  });

/**
 * Starts it.
 * @param folder a folder of its own
 * @param submission the port mail goes out by
 * @param imap the port of mailboxes
 * @param relay the port of the server that it hands mail on to
 * @param introspect where it asks about a token (RFC 7662)
 * @returns what lies among somebody's sent mail, as text; and a way to stop it
 */
export async function startMailServer({ folder, submission, imap, relay, introspect }) {
  fs.mkdirSync(path.join(folder, 'home'), { recursive: true });
  const root = process.getuid() === 0;
  const owner = root ? 'nobody' : execFileSync('id', ['-un'], { encoding: 'utf8' }).trim();
  const group = root ? 'nogroup' : execFileSync('id', ['-gn'], { encoding: 'utf8' }).trim();
  const noChroot = root ? '' : 'chroot =';
  fs.writeFileSync(
    path.join(folder, 'oauth2.conf'),
    `introspection_url = ${introspect}\nintrospection_mode = post\nactive_attribute = active\nactive_value = true\nusername_attribute = username\n`,
  );
  fs.writeFileSync(
    path.join(folder, 'dovecot.conf'),
    `base_dir = ${folder}/run
state_dir = ${folder}/state
log_path = ${folder}/log
protocols = imap submission
listen = 127.0.0.1
ssl = no
disable_plaintext_auth = no
auth_mechanisms = plain xoauth2
mail_location = maildir:${folder}/home/%u
first_valid_uid = 1
auth_failure_delay = 0
submission_relay_host = 127.0.0.1
submission_relay_port = ${relay}
hostname = mail.example.com
${root ? '' : `default_internal_user = ${owner}\ndefault_login_user = ${owner}\ndefault_internal_group = ${owner}`}
passdb {
  driver = oauth2
  mechanisms = xoauth2
  args = ${folder}/oauth2.conf
}
userdb {
  driver = static
  args = uid=${owner} gid=${group} home=${folder}/home
}
namespace inbox {
  inbox = yes
  mailbox Sent {
    auto = subscribe
    special_use = \\Sent
  }
}
service imap-login {
  ${noChroot}
  inet_listener imap {
    port = ${imap}
  }
  inet_listener imaps {
    port = 0
  }
}
service submission-login {
  ${noChroot}
  inet_listener submission {
    port = ${submission}
  }
}
service anvil {
  ${noChroot}
  unix_listener anvil-auth-penalty {
    mode = 0
  }
}
`,
  );
  if (root) {
    execFileSync('chown', ['-R', 'nobody:nogroup', path.join(folder, 'home')]);
    fs.chmodSync(folder, 0o755);
  }
  const server = spawn(fs.existsSync('/usr/sbin/dovecot') ? '/usr/sbin/dovecot' : 'dovecot', ['-F', '-c', path.join(folder, 'dovecot.conf')], { stdio: 'ignore' });
  await until('the mail provider', async () => (await answers(submission)) && (await answers(imap)), 60);
  return {
    sent(user) {
      const box = path.join(folder, 'home', user, '.Sent');
      return ['cur', 'new'].flatMap((part) => {
        const there = path.join(box, part);
        return fs.existsSync(there) ? fs.readdirSync(there).map((f) => fs.readFileSync(path.join(there, f), 'utf8')) : [];
      });
    },
    async stop() {
      const gone = new Promise((resolve) => server.on('exit', resolve));
      server.kill();
      await gone;
      fs.rmSync(folder, { recursive: true, force: true });
    },
  };
}
