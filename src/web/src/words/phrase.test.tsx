// @vitest-environment jsdom
import { render } from '@testing-library/react';
import { afterEach, describe, expect, it } from 'vitest';
import { keepTongue, keptTongue, speak } from './locale';
import { listed, phrase } from './phrase';
import { Sentence } from './Sentence';

const n = '{n, plural, one {# person} other {# people}}';

describe('what is said', () => {
  afterEach(() => speak('en-GB'));

  it('stands in the code where a tongue has no words for it', () => {
    speak('de-DE');
    expect(phrase('Nobody is called {name}.', { name: 'Ada' })).toBe('Nobody is called Ada.');
  });

  it('counts as its tongue does, with its own signs', () => {
    expect([0, 1, 12345].map((count) => phrase(n, { n: count }))).toEqual(['0 people', '1 person', '12,345 people']);
    speak('de-DE', { [n]: '{n, plural, one {# Mensch} other {# Menschen}}' });
    expect([1, 12345].map((count) => phrase(n, { n: count }))).toEqual(['1 Mensch', '12.345 Menschen']);
  });

  it('puts its parts where the other tongue wants them', () => {
    const message = 'Write to <b>{name}</b> {when}';
    speak('de-DE', { [message]: '{when} an <b>{name}</b> schreiben' });
    const { container } = render(<Sentence m={message} v={{ name: 'Ada', when: <i>morgen</i>, b: (c) => <b>{c}</b> }} />);
    expect(container.innerHTML).toBe('<i>morgen</i> an <b>Ada</b> schreiben');
  });

  it('shows nothing for what is not there', () => {
    const { container } = render(<Sentence m="one{two}{three}" v={{ two: false, three: undefined }} />);
    expect(container.textContent).toBe('one');
    expect(phrase('one{two}', { two: undefined })).toBe('one');
  });

  it('takes words, not markup, from what is put in', () => {
    expect(phrase('“{name}”', { name: "<b>{n}</b> '{'" })).toBe("“<b>{n}</b> '{'”");
    const { container } = render(<Sentence m="{name} <b>is here</b>" v={{ name: '<img src=x>', b: (c) => <b>{c}</b> }} />);
    expect(container.innerHTML).toBe('&lt;img src=x&gt; <b>is here</b>');
  });

  it('drops what tells two messages of the same words apart', () => expect(phrase('open‹adjective›')).toBe('open'));

  it('lists', () => {
    expect(listed(['a', 'b', 'c'])).toBe('a, b and c');
    speak('de-DE');
    expect(listed(['a', 'b'], 'disjunction')).toBe('a oder b');
  });
});

describe('the tongue of a browser', () => {
  it('is kept, and is English where nothing is', () => {
    expect(keptTongue()).toBe('en-GB');
    keepTongue('de-DE');
    expect(keptTongue()).toBe('de-DE');
    keepTongue('en-US');
    expect(keptTongue()).toBe('en-US');
  });
});
