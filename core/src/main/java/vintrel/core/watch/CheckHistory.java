package vintrel.core.watch;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.function.BooleanSupplier;
import vintrel.core.chunk.ChunkCodec;
import vintrel.core.chunk.ChunkWriter;
import vintrel.core.chunk.Samples;
import vintrel.core.series.Labels;

/**
 * What the checks of a rule found over a range, kept small, so that other limits and delays are
 * rehearsed without a question: exact values in blocks, each with its least and greatest. A
 * rehearsal passes over blocks that can't change a quiet series. Blocks for which there is no room
 * keep their ends alone; their piece is read again if a rehearsal needs them. Where even the ends
 * take too much, nothing is kept at all. Filled by one thread, then read by any.
 */
public final class CheckHistory {
  /** Checks of a block. */
  static final int BLOCK = ChunkCodec.FULL;

  /** Bytes of ends beside twice the room of values. */
  private static final long SPARE = 1 << 20;

  /** Bytes of a block without its values. */
  private static final int BARE = 80;

  private final long room;
  private final List<Piece> pieces = new ArrayList<>();
  private final ChunkWriter writer = new ChunkWriter();
  private long bytes;
  private boolean kept = true;

  /**
   * @param room bytes that values may take
   */
  public CheckHistory(long room) {
    this.room = room;
  }

  /**
   * Checks of a series one after another.
   *
   * @param least of its values, NaN if it has none
   * @param last the latest value, NaN if it has none
   * @param lastAt the check of that value, from the start of the block
   * @param whole whether each check has a value
   * @param values null if they are not kept
   */
  record Block(
      int count,
      double least,
      double greatest,
      double last,
      int lastAt,
      boolean whole,
      byte[] values) {
    boolean isEmpty() {
      return Double.isNaN(least);
    }
  }

  /** Checks at {@code first + i·step} of all series. */
  public record Piece(long first, long step, int count, Map<Labels, Block[]> courses) {}

  /** Asks what a piece of checks found; each answer as it was when the piece was added. */
  public interface Again {
    Map<Labels, double[]> read(Piece piece);
  }

  /** Whether what was added is here; if not, there was too much of it. */
  public boolean isKept() {
    return kept;
  }

  /** The next checks, after those before. */
  public void add(long first, long step, int count, Map<Labels, double[]> values) {
    long bare = (long) values.size() * Math.ceilDiv(count, BLOCK) * BARE;
    if (!kept || bytes + bare > 2 * room + SPARE) {
      kept = false;
      pieces.clear();
      bytes = 0;
      return;
    }
    var courses = new TreeMap<Labels, Block[]>();
    values.forEach((labels, found) -> courses.put(labels, blocks(found, count)));
    pieces.add(new Piece(first, step, count, courses));
  }

  private Block[] blocks(double[] found, int count) {
    var out = new Block[Math.ceilDiv(count, BLOCK)];
    for (int b = 0; b < out.length; b++) {
      out[b] = block(found, b * BLOCK, Math.min(BLOCK, count - b * BLOCK));
    }
    return out;
  }

  private Block block(double[] found, int from, int n) {
    double least = Double.NaN;
    double greatest = Double.NaN;
    int last = -1;
    int present = 0;
    for (int i = 0; i < n; i++) {
      double v = found[from + i];
      if (!Double.isNaN(v)) {
        least = present == 0 ? v : Math.min(least, v);
        greatest = present == 0 ? v : Math.max(greatest, v);
        last = i;
        present++;
      }
    }
    byte[] values = present == 0 || bytes >= room ? null : encoded(found, from, n);
    bytes += BARE + (values == null ? 0 : values.length);
    double end = last < 0 ? Double.NaN : found[from + last];
    return new Block(n, least, greatest, end, last, present == n, values);
  }

  private byte[] encoded(double[] found, int from, int n) {
    var times = new long[n];
    Arrays.setAll(times, i -> i);
    return writer.encode(Samples.of(times, Arrays.copyOfRange(found, from, from + n)));
  }

  /** About what it takes, bytes. */
  public long bytes() {
    return bytes;
  }

  /**
   * Rehearses rules with it, which differ in what follows from values alone.
   *
   * @param again asked for pieces whose values are needed and not kept
   * @param stop asked between pieces; what was fed before stands
   */
  public void replay(List<Rehearsal> rehearsals, Again again, BooleanSupplier stop) {
    for (var piece : pieces) {
      if (stop.getAsBoolean()) {
        return;
      }
      var values = new Values(piece, again);
      for (var rehearsal : rehearsals) {
        rehearsal.begin(piece.first, piece.step, piece.count);
        if (rehearsal.needsAll()) {
          rehearsal.feed(piece.first, piece.step, piece.count, values.all());
        }
      }
      var blockwise = rehearsals.stream().filter(r -> !r.needsAll()).toList();
      for (var labels : piece.courses.keySet()) {
        values.turn(labels);
        for (int b = 0; b < values.blocks.length; b++) {
          for (var rehearsal : blockwise) {
            rehearsal.feed(labels, piece.first + b * BLOCK * piece.step, piece.step, values, b);
          }
        }
      }
      for (var rehearsal : blockwise) {
        rehearsal.feedOthers(piece.first, piece.step, piece.count, piece.courses.keySet());
      }
    }
  }

  /** The values of a piece, each block read once for all that want it. */
  static final class Values {
    private final Piece piece;
    private final Again again;
    private Map<Labels, double[]> read;
    private Labels labels;
    private double[][] open;
    Block[] blocks;

    Values(Piece piece, Again again) {
      this.piece = piece;
      this.again = again;
    }

    void turn(Labels to) {
      labels = to;
      blocks = piece.courses.get(to);
      open = new double[blocks.length][];
    }

    double[] of(int b) {
      if (open[b] == null) {
        open[b] = opened(b);
      }
      return open[b];
    }

    private double[] opened(int b) {
      var block = blocks[b];
      if (block.values != null) {
        return ChunkCodec.decode(block.values).values();
      }
      if (block.isEmpty()) {
        return none(block.count);
      }
      read = read == null ? again.read(piece) : read;
      var found = read.get(labels);
      return found == null
          ? none(block.count)
          : Arrays.copyOfRange(found, b * BLOCK, b * BLOCK + block.count);
    }

    Map<Labels, double[]> all() {
      var out = new TreeMap<Labels, double[]>();
      for (var one : piece.courses.keySet()) {
        turn(one);
        var found = new double[piece.count];
        for (int b = 0; b < blocks.length; b++) {
          System.arraycopy(of(b), 0, found, b * BLOCK, blocks[b].count);
        }
        out.put(one, found);
      }
      return out;
    }
  }

  static double[] none(int count) {
    var out = new double[count];
    Arrays.fill(out, Double.NaN);
    return out;
  }
}
