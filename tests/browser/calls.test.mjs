// The calls of a rehearsal as a calendar, read by a reader that is not ours and not .NET's.
import assert from 'node:assert/strict'
import { execFileSync } from 'node:child_process'
import { existsSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { test } from 'node:test'
import { fileURLToPath } from 'node:url'
import ICAL from 'ical.js'

const root = join(dirname(fileURLToPath(import.meta.url)), '..', '..')
// As the tests of the command line have built it; where they have not, it builds itself.
const built = join(root, 'src', 'Germinal.Cli', 'bin', 'Release', 'net10.0', 'germinal.dll');
const [command, first] = existsSync(built) ? ['dotnet', [built]] : [join(root, 'germinal'), []];
const folder = join(root, 'tests', 'Germinal.Cli.Tests', 'Case')

test('the calls of a rehearsal are a calendar that ical.js reads', () => {
  const text = execFileSync(
    command,
    [
      ...first, 'rehearse', '--practice', 'practice.json', '--people', 'people.csv', '--program', 'start.program.json', '--events', 'events.csv',
      '--from', '2027-03-29T00:00', '--to', '2027-06-01T00:00', '--format', 'ics',
    ],
    { cwd: folder, encoding: 'utf8', stdio: ['ignore', 'pipe', 'ignore'] },
  )
  const calendar = new ICAL.Component(ICAL.parse(text))
  assert.equal(calendar.getFirstPropertyValue('version'), '2.0')
  const [call, ...others] = calendar.getAllSubcomponents('vtodo')
  assert.equal(others.length, 0)
  assert.equal(call.getFirstPropertyValue('summary'), 'Call Ida Rowan')
  assert.equal(call.getFirstPropertyValue('status'), 'COMPLETED')
  assert.equal(call.getFirstPropertyValue('description'), 'Ask Ida; listen, then write down what they say\nand when.')
  assert.equal(call.getFirstPropertyValue('dtstart').toJSDate().toISOString(), '2027-04-01T13:30:00.000Z')
  // Two working days later, 2 April being a closing day: until Tuesday evening.
  assert.equal(call.getFirstPropertyValue('due').toJSDate().toISOString(), '2027-04-07T01:00:00.000Z')
})
