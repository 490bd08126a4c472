import type { StripFigure } from '../state/view';

/** Figures as people read them: sensible rounding, never a bare float. */
export function mm(value: number): string {
  if (value >= 100) return value.toFixed(1);
  return value >= 1 ? value.toFixed(2) : value.toFixed(4);
}

export const degrees = (value: number): string => (value >= 10 ? value.toFixed(1) : value.toFixed(3));

export function percent(value: number): string {
  if (value >= 100) return value.toFixed(0);
  return value >= 10 ? value.toFixed(1) : value.toFixed(2);
}

/** What is smaller is rounding. */
const ROUNDING = 1e-9;

/** Curvature and the like: three digits, powers of ten where they help. */
export function small(value: number | null): string {
  if (value === null || !Number.isFinite(value)) return '–';
  const size = Math.abs(value);
  if (size < ROUNDING) return '0';
  if (size >= 1000 || size < 1e-3) return value.toExponential(2).replace('e', '\u00a0e');
  return value.toPrecision(3);
}

export const length = (value: number): string => value.toFixed(1);

const TO_DIGITS: Record<string, (v: number) => string> = { mm, '°': degrees, '%': percent };

/** A figure that is held to a limit, with its unit, to the same digits everywhere. */
export const held = (value: number, unit: string): string => `${(TO_DIGITS[unit] ?? small)(value)}${unit === '°' ? '' : ' '}${unit}`;

const SEAM: Record<StripFigure, string> = { gap: 'mm', angle: '°', curvature: '%' };

/** A figure of a seam with its unit. */
export const formatted = (figure: StripFigure, value: number): string => held(value, SEAM[figure]);

const OPERATORS: Record<string, [strength: number, apply: (a: number, b: number) => number]> = {
  '+': [1, (a, b) => a + b],
  '-': [1, (a, b) => a - b],
  '*': [2, (a, b) => a * b],
  '/': [2, (a, b) => a / b],
};

/** Value of simple arithmetic such as "12/3" or "2*(4.5-1)"; a unit at the end is passed over. Null if it is none. */
export function arithmetic(text: string): number | null {
  const tokens = text
    .replace(/(mm|°|%)\s*$/, '')
    .replaceAll(',', '.')
    .match(/\d*\.?\d+(?:e[+-]?\d+)?|[-+*/()]|\S/gi);
  if (!tokens) return null;
  let at = 0;

  const single = (): number | null => {
    const token = tokens[at++];
    if (token === '-' || token === '+') {
      const value = single();
      return value === null ? null : token === '-' ? -value : value;
    }
    if (token === '(') {
      const value = chain(0);
      return tokens[at++] === ')' ? value : null;
    }
    const value = Number(token);
    return token !== undefined && Number.isFinite(value) ? value : null;
  };

  const chain = (strength: number): number | null => {
    let left = single();
    for (;;) {
      const operator = OPERATORS[tokens[at] ?? ''];
      if (left === null || !operator || operator[0] <= strength) return left;
      at++;
      const right = chain(operator[0]);
      left = right === null ? null : operator[1](left, right);
    }
  };

  const value = chain(0);
  return at === tokens.length && value !== null && Number.isFinite(value) ? value : null;
}

/** A measured value with its unit; without end, it says so. */
export function measure({ value, unit }: { value: number | null; unit: string }): string {
  if (value === null) return 'straight';
  const digits = unit === '°' ? 2 : value >= 1000 ? 2 : 3;
  return `${value.toFixed(digits)}${unit === '°' ? '' : ' '}${unit}`;
}
