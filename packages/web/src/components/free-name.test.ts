import { describe, expect, it } from 'vitest';
import { freeName, numberedName } from './free-name.js';

describe('names for what is made by a button', () => {
  it('are free, capitals or not', () => {
    expect(freeName('New check', [])).toBe('New check');
    expect(freeName('New check', ['new CHECK', 'New check 2'])).toBe('New check 3');
  });
  it('numbered ones go on from how many there are, also where one before was deleted', () => {
    expect(numberedName('Task', [])).toBe('Task1');
    expect(numberedName('Task', ['Task2'])).toBe('Task3');
    expect(numberedName('Watch ', ['Mine', 'watch 3'])).toBe('Watch 4');
  });
});
