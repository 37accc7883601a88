import { phrase } from './phrase';

/** What the server tells by one of a few words, as it is read. A word that is not here is shown as it came. */
const words: Record<string, string> = {
  // kinds of steps and touches, and the channels they go by
  email: phrase('email'),
  text: phrase('text'),
  call: phrase('call'),
  note: phrase('note'),
  task: phrase('task'),
  post: phrase('post'),
  'tell-me': phrase('message to the owner'),
  change: phrase('change'),
  fork: phrase('fork'),
  split: phrase('split'),
  'hand-over': phrase('hand-over'),
  end: phrase('end'),
  // how things stand
  on: phrase('on'),
  paused: phrase('paused'),
  draft: phrase('being written'),
  open: phrase('open'),
  won: phrase('won'),
  lost: phrase('lost'),
  done: phrase('done'),
  sent: phrase('sent'),
  // what a member is
  principal: phrase('principal'),
  adviser: phrase('adviser'),
  assistant: phrase('assistant'),
};

/** A word of the server as it is read. */
export const codeWord = (code: string) => words[code] ?? code;

/** A channel as it is read: letters go by post, which a post for a public place does not. */
export const channelWord = (channel: string) => (channel === 'post' ? phrase('post‹letters›') : codeWord(channel));
