/** Who asks, out of one line as it is typed at the telephone: what has an @ is an address, seven digits or more are a number, the rest is a name. */
export function whoAsks(line: string) {
  let rest = ` ${line} `;
  const take = (what: RegExp) => {
    const found = what.exec(rest)?.[0].trim() ?? '';
    if (found) rest = rest.replace(found, ' ');
    return found;
  };
  const email = take(/[^\s,;<>]+@[^\s,;<>]+/);
  const mobile = take(/[+(]?\d[\d\s().-]{5,}\d/);
  const name = rest
    .replace(/[,;<>]/g, ' ')
    .replace(/\s+/g, ' ')
    .trim();
  return { name, email, mobile };
}
