package vintrel.collector;

import java.util.List;
import vintrel.core.series.Event;

/** Something that is read again and again, by one thread at a time. */
public interface Input extends AutoCloseable {
  /**
   * Reads it.
   *
   * @throws InputException saying why it could not be read
   */
  List<Reading> read() throws InputException;

  /** Records that came since the last call. */
  default List<Event> events() {
    return List.of();
  }

  /**
   * What is to be done once the records that were taken last are on disk: so that a kill before
   * that has them read again. Called after {@link #events}; what it returns runs once, on any
   * thread.
   */
  default Runnable confirmation() {
    return () -> {};
  }

  @Override
  default void close() {}
}
