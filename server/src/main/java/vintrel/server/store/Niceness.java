package vintrel.server.store;

import java.lang.foreign.FunctionDescriptor;
import java.lang.foreign.Linker;
import java.lang.foreign.ValueLayout;
import java.lang.invoke.MethodHandle;

/**
 * Lets a thread of background work wait for those that somebody waits for. Java passes thread
 * priorities to Linux for the superuser alone, so the thread asks by itself (setpriority(2), which
 * takes 0 for the calling thread). Where that does not work, the thread runs as others do.
 */
final class Niceness {
  private static final int PRIO_PROCESS = 0;
  private static final int BACKGROUND = 10;

  private Niceness() {}

  /** Runs something at the lowest sensible share of the processor; for the start of a thread. */
  static Runnable background(Runnable work) {
    return () -> {
      lower();
      work.run();
    };
  }

  private static void lower() {
    try {
      var linker = Linker.nativeLinker();
      var address = linker.defaultLookup().find("setpriority").orElseThrow();
      var ints = ValueLayout.JAVA_INT;
      MethodHandle set =
          linker.downcallHandle(address, FunctionDescriptor.of(ints, ints, ints, ints));
      int failed = (int) set.invokeExact(PRIO_PROCESS, 0, BACKGROUND);
      assert failed == 0 || failed == -1;
    } catch (Throwable e) {
      // Another platform: the work is done at the usual priority.
      return;
    }
  }
}
