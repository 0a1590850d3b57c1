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

  /** The records and readings taken last have been written to the queue. */
  default void stored() {}

  @Override
  default void close() {}
}
