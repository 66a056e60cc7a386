import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { dayOf, isOnDay, parseDays, zoneAhead } from '../../../src/core/field/days.ts';
import { isNamed, parseNames, requireMet, runsOf, unmetOf } from '../../../src/core/field/names.ts';

const some = Array.from({ length: 48 }, (_, k) => `CUL-${String(k + 1).padStart(3, '0')}`);

describe('names of waypoints', () => {
  it('takes a run of names, both ends too, and nothing beside it', () => {
    const choice = parseNames('CUL-010 to CUL-012');
    expect(some.filter((name) => isNamed(choice, name))).toEqual(['CUL-010', 'CUL-011', 'CUL-012']);
    expect(isNamed(choice, 'CUL-010a')).toBe(false);
    expect(isNamed(choice, 'XCUL-011')).toBe(false);
    expect(isNamed(choice, null)).toBe(false);
  });

  it('takes several runs and names, with what stands behind the number', () => {
    const choice = parseNames(['GATE 1', 'P1-left to P3-left']);
    expect(
      ['GATE 1', 'GATE 2', 'P2-left', 'P2-right', 'P4-left'].filter((name) => isNamed(choice, name)),
    ).toEqual(['GATE 1', 'P2-left']);
  });

  it('knows a name that holds the word itself', () => {
    expect(isNamed(parseNames('Weir to Bridge'), 'Weir to Bridge')).toBe(true);
    expect(isNamed(parseNames('Weir 1 to Bridge 4'), 'Weir 1 to Bridge 4')).toBe(true);
  });

  it('tells what of a run is missing', () => {
    const names = some.filter((name) => name !== 'CUL-017');
    expect(unmetOf(parseNames('CUL-001 to CUL-048'), names)).toMatchObject([
      { met: 47, missing: ['CUL-017'], missingCount: 1 },
    ]);
    expect(unmetOf(parseNames('all'), names)).toEqual([]);
  });

  it('refuses a run that goes backwards, and a choice that meets nothing', () => {
    expect(() => parseNames('A9 to A2')).toThrow(/goes from 9 to 2/);
    expect(() => requireMet(parseNames('CUL-100 to CUL-110'), some, 'waypoint')).toThrow(
      expect.objectContaining({ code: 'names-unmet' }),
    );
    expect(() => requireMet(parseNames(['CUL-100', 'CUL-001']), some, 'waypoint')).not.toThrow();
  });

  it('puts names that go on from each other together, and finds the holes', () => {
    const shuffled = [...some].reverse().filter((name) => name !== 'CUL-017' && name !== 'CUL-031');
    expect(runsOf([...shuffled, 'Weir'])).toEqual([
      { words: 'CUL-001 to CUL-048', count: 46, missing: [17, 31] },
      { words: 'Weir', count: 1, missing: [] },
    ]);
  });

  it('chooses what a list of the run would choose', () => {
    fc.assert(
      fc.property(fc.nat(300), fc.nat(300), fc.nat(400), (a, b, n) => {
        const [from, to] = [Math.min(a, b), Math.max(a, b)];
        const name = (value: number) => `K${String(value).padStart(3, '0')}`;
        expect(isNamed(parseNames(`${name(from)} to ${name(to)}`), name(n))).toBe(n >= from && n <= to);
      }),
    );
  });
});

describe('days', () => {
  it('counts days in the zone that is said', () => {
    const evening = Date.parse('2024-06-14T23:30:00Z');
    expect(isOnDay(parseDays('2024-06-14'), evening)).toBe(true);
    expect(isOnDay(parseDays('2024-06-14', '+02:00'), evening)).toBe(false);
    expect(isOnDay(parseDays('2024-06-15', '+02:00'), evening)).toBe(true);
    expect(isOnDay(parseDays('2024-06-13 to 2024-06-15'), evening)).toBe(true);
    expect(isOnDay(parseDays('2024-06-14'), Number.NaN)).toBe(false);
    expect(dayOf(0)).toBe(0);
  });

  it('refuses what is no day and no zone', () => {
    for (const text of [
      '14.6.2024',
      '2024-02-30',
      '2024-06-15 to 2024-06-14',
      '2024-06-14 to 2024-06-15 to 2024-06-16',
    ])
      expect(() => parseDays(text)).toThrow(expect.objectContaining({ code: 'day-unclear' }));
    expect(() => parseDays('2024-06-14', 'CEST')).toThrow(expect.objectContaining({ code: 'zone-unclear' }));
    expect([zoneAhead('Z'), zoneAhead('-0130'), zoneAhead('+14:00')]).toEqual([0, -5_400_000, 50_400_000]);
  });
});
