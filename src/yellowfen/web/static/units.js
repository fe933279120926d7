// A value with its unit, rendered here and nowhere else: another unit for a kind is a change in one place.
export const withUnit = (value, unit) => `${value} ${unit}`;
