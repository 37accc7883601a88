// @vitest-environment jsdom
import { describe, expect, it } from 'vitest';
import { fromEditor, readMerge, toEditor, writeMerge } from './letterFields';

describe('merge fields', () => {
  it.each([
    ['{{ person.first_name }}', { kind: 'field', field: 'person.first_name', otherwise: undefined }],
    ['{{person.first_name|default:"you"}}', { kind: 'field', field: 'person.first_name', otherwise: 'you' }],
    ["{{ person.custom['net worth'] | default: 'it' }}", { kind: 'field', field: "person.custom['net worth']", otherwise: 'it' }],
    ['{{ "I am" | we: "we are" }}', { kind: 'voice', one: 'I am', many: 'we are' }],
    ['{{ person.age | plus: 1 }}', { kind: 'other', text: '{{ person.age | plus: 1 }}' }],
  ])('reads %s', (template, merge) => {
    expect(readMerge(template)).toEqual(merge);
    expect(readMerge(writeMerge(readMerge(template)))).toEqual(merge);
  });

  it('keeps quotation marks and braces in words from ending the field', () => {
    expect(readMerge(writeMerge({ kind: 'voice', one: 'I "do" }}', many: 'we' }))).toEqual({ kind: 'voice', one: 'I ”do” ', many: 'we' });
  });

  it.each([
    '<p>Dear {{ person.first_name | default: "you" }}, {{ today }}</p>',
    '<p>a {% if person.stage %}<strong>{{ person.stage }}</strong>{% endif %} b</p>',
    '<p><a href="https://example.com/?n={{ person.first_name }}">x</a> &amp; y</p>',
    '<p>nothing to fill</p>',
  ])('goes into the editor and comes out unchanged: %s', (html) => {
    expect(fromEditor(toEditor(html))).toBe(html);
  });

  it('is an element in words and stays as it is in an address', () => {
    const made = toEditor('<p><a href="https://example.com/{{ today }}">{{ today }}</a></p>');
    expect(made.match(/data-field/g)).toHaveLength(1);
    expect(made).toContain('href="https://example.com/{{ today }}"');
  });
});
