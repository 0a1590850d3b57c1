package vintrel.core.store;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Random;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;

class SlotsTest {
  private final Slots slots = new Slots();

  private static void fill(Slots.Place p, long with) {
    Arrays.fill(p.times, p.base, p.base + p.size, with);
    Arrays.fill(p.values, p.base, p.base + p.size, with);
  }

  private static boolean holds(Slots.Place p, long what) {
    boolean out = true;
    for (int i = p.base; i < p.base + p.size; i++) {
      out &= p.times[i] == what && p.values[i] == what;
    }
    return out;
  }

  /** No place is part of another that is in use, nor of one that was given back while held. */
  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3, 4})
  void placesInUseAreNobodyElses(long seed) {
    var random = new Random(seed);
    var used = new ArrayList<Slots.Place>();
    var marks = new HashMap<Slots.Place, Long>();
    var kept = new ArrayList<Slots.Place>();
    boolean held = false;
    for (long i = 1; i < 30_000; i++) {
      boolean grows = i / 5_000 % 2 == 0;
      if (used.isEmpty() || random.nextInt(10) < (grows ? 6 : 4)) {
        int samples = 1 + random.nextInt(512);
        var p = slots.take(samples);
        assertThat(p.size).isGreaterThanOrEqualTo(samples).isLessThan(Math.max(17, 2 * samples));
        fill(p, i);
        used.add(p);
        marks.put(p, i);
      } else {
        var p = used.remove(random.nextInt(used.size()));
        slots.give(p);
        if (held) {
          kept.add(p);
        } else {
          marks.remove(p);
        }
      }
      if (random.nextInt(500) == 0) {
        assertSound(used, kept, marks);
        if (held) {
          slots.release();
          kept.forEach(marks::remove);
          kept.clear();
        } else {
          slots.hold();
        }
        held = !held;
      }
    }
  }

  private static void assertSound(
      List<Slots.Place> used, List<Slots.Place> kept, Map<Slots.Place, Long> marks) {
    for (var p : used) {
      assertThat(holds(p, marks.get(p))).isTrue();
    }
    for (var p : kept) {
      assertThat(holds(p, marks.get(p))).as("held").isTrue();
    }
  }

  @Test
  void placesAreUsedAgain() {
    for (int round = 0; round < 50; round++) {
      var some = new ArrayList<Slots.Place>();
      for (int i = 0; i < 1_000; i++) {
        some.add(slots.take(512));
      }
      some.forEach(slots::give);
    }
    assertThat(slots.room()).as("what one round took").isLessThanOrEqualTo(1_000 * 512 + 32_768);
  }

  @Test
  void roomThatNobodyUsesIsLetGo() {
    var some = new ArrayList<Slots.Place>();
    for (int i = 0; i < 10_000; i++) {
      some.add(slots.take(16 << i % 6));
    }
    long most = slots.room();
    some.forEach(slots::give);
    slots.release();
    assertThat(slots.room()).as("it may be wanted soon").isEqualTo(most);
    for (int i = 0; i < 8; i++) {
      slots.release();
    }
    assertThat(slots.room()).isLessThan(most / 4);
  }

  /** All series of a store grow at once: what they leave serves the next size. */
  @Test
  void roomChangesItsSize() {
    for (int round = 0; round < 10; round++) {
      var some = new ArrayList<Slots.Place>();
      for (int size = 16; size <= 512; size *= 2) {
        var next = new ArrayList<Slots.Place>();
        for (int i = 0; i < 3_000; i++) {
          next.add(slots.take(size));
        }
        some.forEach(slots::give);
        some = next;
      }
      slots.hold();
      some.forEach(slots::give);
      slots.release();
    }
    assertThat(slots.room()).isLessThanOrEqualTo(3_000 * (512 + 256) + 6 * 32_768);
  }
}
