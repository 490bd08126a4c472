import { describe, expect, it } from 'vitest';

import { arithmetic, degrees, mm, percent, small } from './figures';

describe('arithmetic in number fields', () => {
  it.each([
    ['12/3', 4],
    ['2*(4.5-1)', 7],
    ['-3 + 10', 7],
    ['1-2-3', -4],
    ['8/2/2', 2],
    ['2+3*4', 14],
    ['0,5 mm', 0.5],
    ['1e-3', 0.001],
    ['-(2+1)', -3],
  ])('%s', (text, value) => expect(arithmetic(text)).toBeCloseTo(value, 12));

  it.each(['', 'abc', '2+', '(1', '1/0', '2 2', 'alert(1)'])('refuses %j', (text) => expect(arithmetic(text)).toBeNull());
});

describe('rounding for people', () => {
  it('keeps the digits that matter at each size', () => {
    expect([mm(0.00211), mm(12.345), mm(308.61)]).toEqual(['0.0021', '12.35', '308.6']);
    expect([degrees(0.0384), degrees(90)]).toEqual(['0.038', '90.0']);
    expect([percent(0.7), percent(12.34), percent(200)]).toEqual(['0.70', '12.3', '200']);
  });
  it('says nothing where there is no value', () => expect([small(null), small(NaN), small(0), small(-2e-13)]).toEqual(['–', '–', '0', '0']));
});
