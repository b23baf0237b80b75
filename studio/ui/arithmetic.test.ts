import { describe, expect, it } from 'vitest'
import { readNumber, showNumber } from './arithmetic.ts'

describe('a number field', () => {
  it.each([
    ['12', undefined, 12],
    ['1.2m', 'm', 1.2],
    ['120 cm', 'm', 1.2],
    ['35mm', 'm', 0.035],
    ['0.35MW', 'kW', 350],
    ['24/2', undefined, 12],
    ['-4-2', '°', -6],
    ['(1+2)*3', undefined, 9],
    ['1,5', 'm', 1.5],
    ['2*-3', undefined, -6],
    ['1e3', undefined, 1000],
    ['.5', undefined, 0.5],
    ['90°', '°', 90],
    ['+7', undefined, 7],
    ['1m + 20cm', 'm', 1.2],
    ['50 %', '%', 50],
    ['120cm/2', 'm', 0.6],
    ['3 m/s', 'm/s', 3],
    ['3m/s/2', 'm/s', 1.5],
  ])('reads %j in %s as %d', (text, unit, value) => {
    expect(readNumber(text, unit)).toBeCloseTo(value, 9)
  })
  it.each([
    ['', 'm'],
    ['hot', 'm'],
    ['1/0', undefined],
    ['2 kW', 'm'],
    ['(1', undefined],
    ['1 2', undefined],
    ['NaN', undefined],
    ['alert(1)', undefined],
    ['3 furlongs', 'm'],
  ])('makes nothing of %j in %s', (text, unit) => {
    expect(readNumber(text, unit)).toBeUndefined()
  })
  it.each([
    [1.23456, 0.01, '1.23'],
    [400, 5, '400'],
    [0.3, 0.05, '0.30'],
    [-0.5, 0.1, '-0.5'],
    [1e-9, 0.00001, '0.0000'],
  ])('shows %d by steps of %d as %s', (value, step, text) => {
    expect(showNumber(value, step)).toBe(text)
  })
})
