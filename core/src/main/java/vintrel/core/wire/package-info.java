/**
 * What comes over the wire → samples. {@link vintrel.core.wire.OtlpProtobuf} and {@link
 * vintrel.core.wire.OtlpJson} read OTLP metrics, {@link vintrel.core.wire.OpenMetricsText} a
 * scraped page. All of them hand series and samples to an {@link vintrel.core.wire.SampleSink} and
 * tell it what they had to refuse; only input that can't be read at all is a {@link
 * vintrel.core.wire.WireException}.
 */
package vintrel.core.wire;
