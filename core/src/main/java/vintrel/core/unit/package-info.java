/**
 * Numbers, units, durations and times as people write and read them. Units are UCUM codes
 * (https://ucum.org); {@link vintrel.core.unit.Units} infers and formats them, {@link
 * vintrel.core.unit.Durations} reads and writes durations ({@code 5m}), {@link
 * vintrel.core.unit.TimeText} reads times ({@code -6h}, {@code yesterday 14:00}, ISO 8601).
 */
package vintrel.core.unit;
