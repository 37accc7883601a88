// Makes sample.csv: 240 invented people in the usual mess of an exported list, from a fixed seed.
//   node demo/people/make-sample.mjs > demo/people/sample.csv
let seed = 20270301;
const random = () => {
  seed = (Math.imul(seed, 1664525) + 1013904223) >>> 0;
  return seed / 2 ** 32;
};
const pick = (list) => list[Math.floor(random() * list.length)];
const chance = (percent) => random() * 100 < percent;

const first = ['Abel', 'Anneke', 'Bruna', 'Caspar', 'Delia', 'Edda', 'Falk', 'Gwendolen', 'Hedda', 'Ivo', 'Jolanta', 'Kaspian', 'Leonie', 'Małgorzata', 'Niamh', 'Öyvind', 'Philippa', 'Raúl', 'Seónaid', 'Tobias', 'Ursula', 'Vilém', 'Xenia', 'Zsófia'];
const last = ['Arkwell', 'Bellamy-Rook', "O'Denny", 'Fosdyke', 'Garroway', 'Hollin', 'Ibbetson', 'Jarrow', 'Kittredge', 'Löwen', 'Merrow', 'Nóvak', 'Oakes', 'Prewitt', 'Quarles', 'Rydal', 'Stroud', 'Tolliver', 'Upshaw', 'Vance', 'Wray'];
const places = [['Port Averil', 'ME', '04999', '207'], ['Saltmarsh', 'MA', '01999', '978'], ['Larkspur Mesa', 'CO', '80999', '303'], ['Pine Hollow', 'CA', '95999', '530']];
const tags = ['Client', 'Prospect', 'Retirement', 'VIP', 'Market letter', 'School fees'];
const months = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec'];
const plain = (text) => text.normalize('NFD').replace(/[\u0300-\u036f]/g, '').replace(/ł/g, 'l').replace(/Ö/g, 'O').toLowerCase().replace(/[^a-z-]/g, '');

function phone(area, n) {
  const d = [area, '555', `01${String(n % 100).padStart(2, '0')}`];
  return pick([() => `(${d[0]}) ${d[1]}-${d[2]}`, () => d.join('.'), () => d.join('-'), () => d.join(''), () => `+1 ${d.join(' ')}`, () => `1-${d.join('-')}`, () => `${d.join(' ')} ext. ${1 + Math.floor(random() * 40)}`])();
}
function date() {
  const y = 1935 + Math.floor(random() * 68);
  const m = 1 + Math.floor(random() * 12);
  const d = 1 + Math.floor(random() * 28);
  const two = (n) => String(n).padStart(2, '0');
  return pick([() => `${m}/${d}/${y}`, () => `${two(m)}/${two(d)}/${y}`, () => `${y}-${two(m)}-${two(d)}`, () => `${d} ${months[m - 1]} ${y}`, () => `${months[m - 1]} ${d}`, () => `${m}/${d}/${two(y % 100)}`])();
}
const quote = (cell) => (/[",\n]/.test(cell) ? `"${cell.replaceAll('"', '""')}"` : cell);
const rows = [];
for (let i = 0; i < 232; i++) {
  const f = pick(first);
  const l = pick(last);
  const [city, state, zip, area] = pick(places);
  let email = chance(8) ? '' : `${plain(f)}.${plain(l)}${i}@example.${pick(['com', 'net', 'org'])}`;
  if (email && chance(4)) email = email.replace('@', ' at ');
  else if (email && chance(4)) email = `  ${email.toUpperCase()} `;
  else if (email && chance(3)) email += ',';
  else if (email && chance(2)) email += `; ${plain(f)}${i}@example.org`;
  const whole = chance(8);
  rows.push([
    whole ? '' : f, whole ? `${f} ${l}` : l, email, chance(78) ? phone(area, i) : '', chance(20) ? phone(area, i + 7) : '', chance(60) ? date() : '',
    chance(65) ? `${1 + Math.floor(random() * 240)} ${pick(['Larch Road', 'Tide St', 'Cooper Lane'])}` : '', city, state, zip, chance(30) ? `${1 + Math.floor(random() * 12)}/${1 + Math.floor(random() * 28)}/${2004 + Math.floor(random() * 22)}` : '',
    chance(75) ? [...new Set([pick(tags), pick(tags)])].join('; ') : '', pick(['yes', 'Y', 'x', '1', 'TRUE', 'no', 'N', 'opted out', '', '']), pick(['Website', 'Referral', 'Evening talk', '']), pick(['Ada Quill', 'T. Brandt', 'Tomas Brandt', '']),
    pick(['', '', 'Prefers mornings', 'Call after 4pm,\nnot Fridays', 'Has two boats, likes "plain words"']),
  ]);
}
// The worst of it, always in the same places.
Object.assign(rows[10], { 5: '13/45/1970' });
Object.assign(rows[20], { 5: '31061' });
Object.assign(rows[30], { 15: 'DECEASED 2026' });
Object.assign(rows[40], { 15: 'Do not contact' });
Object.assign(rows[50], { 12: 'maybe?' });
Object.assign(rows[60], { 5: '2/29/1984', 2: `leap.${plain(rows[60][1])}@example.com` });
Object.assign(rows[70], { 14: 'Nobody Here' });
for (const i of [3, 77, rows.findIndex((r, n) => n > 140 && /^[a-z].*@/.test(r[2]))]) {
  const twin = [...rows[i]];
  twin[0] = `${twin[0]} `;
  twin[2] = twin[2].trim().toUpperCase();
  twin[11] = twin[11] ? `${twin[11]}; Referrer` : 'Referrer';
  rows.push(twin);
}
rows.push(Array(16).fill(''));
rows.push(['', '', '', '', '', '', '', '', '', '', '', '', '', '', '', `Total: ${rows.length}`]);
const header = ['First Name', 'Last Name', 'E-mail Address', 'Mobile Phone', 'Home Phone', 'Birthday', 'Street', 'City', 'State', 'ZIP', 'Client Since', 'Groups', 'Email OK?', 'Source', 'Advisor', 'Notes'];
process.stdout.write(`\uFEFF${[header, ...rows].map((r) => r.map(quote).join(',')).join('\r\n')}\r\n`);
