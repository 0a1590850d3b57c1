package vintrel.bench;

import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.ByteOrder;
import java.util.ArrayList;
import java.util.List;
import java.util.Random;

/**
 * OTLP requests of one point of each series, made beforehand; only their times are written when
 * they are sent, so that the sender takes hardly any of the processors it shares with the server.
 */
final class Bodies {
  /** Values of a series go round after so many. */
  private static final int VARIANTS = 16;

  /** A time that stands in no other place of a request. */
  private static final long PLACE = 0x0102_0304_0506_0708L;

  private final List<ByteBuffer> bodies = new ArrayList<>();
  private final List<int[]> places = new ArrayList<>();
  private final Random random = new Random(4);
  private int at;

  Bodies(Data[][] series) throws IOException {
    for (int i = 0; i < VARIANTS; i++) {
      var body =
          ByteBuffer.wrap(CollectBench.request(series, PLACE)).order(ByteOrder.LITTLE_ENDIAN);
      bodies.add(body);
      places.add(places(body));
    }
  }

  private static int[] places(ByteBuffer body) {
    var out = new ArrayList<Integer>();
    for (int i = 0; i + 8 <= body.limit(); i++) {
      if (body.getLong(i) == PLACE) {
        out.add(i);
      }
    }
    return out.stream().mapToInt(i -> i).toArray();
  }

  /**
   * The next request, good until it is asked for again.
   *
   * @param time of its points, ms; each is up to 50 ms off
   */
  byte[] next(long time) {
    int variant = at++ % VARIANTS;
    var body = bodies.get(variant);
    for (int place : places.get(variant)) {
      body.putLong(place, (time + random.nextInt(101) - 50) * 1_000_000);
    }
    return body.array();
  }
}
