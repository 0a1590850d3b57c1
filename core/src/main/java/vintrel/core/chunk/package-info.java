/**
 * Samples as bytes. {@link vintrel.core.chunk.ChunkCodec} turns up to a few thousand samples of one
 * series into a checksummed, versioned block of bytes and back; {@link vintrel.core.chunk.Samples}
 * is the pair of arrays on both sides; {@link vintrel.core.chunk.ChunkSummary} is what can be
 * answered without decoding. {@link vintrel.core.chunk.Merge} joins chunks that overlap in time.
 *
 * <p>Invariants: times within a chunk are strictly rising; decode(encode(x)) is x to the bit, NaN
 * payloads and negative zero included; damaged bytes raise {@link
 * vintrel.core.chunk.DamagedChunkException}, never wrong samples.
 */
package vintrel.core.chunk;
