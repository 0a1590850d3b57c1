package vintrel.core.event;

import java.util.List;
import vintrel.core.series.Event;
import vintrel.core.series.Labels;

/** Records by index, from 0. Nothing in it is null. One thread at a time. */
public interface Records {
  int count();

  long id(int i);

  /** ms since the epoch. */
  long time(int i);

  /** The place in {@link Event#LEVELS} plus 1; 0 if the sender said none. */
  int level(int i);

  /** The different sets of labels. */
  List<Labels> labelSets();

  /** The place in {@link #labelSets()}. */
  int labels(int i);

  String text(int i);

  /** A JSON object, or empty. */
  String fields(int i);

  /** One record whole. */
  default Event event(String store, int i) {
    return new Event(
        id(i), store, time(i), name(level(i)), text(i), labelSets().get(labels(i)), fields(i));
  }

  /** The name of a level's code, or empty. */
  static String name(int level) {
    return level == 0 ? "" : Event.LEVELS.get(level - 1);
  }

  /** The code of a level's name; of one that is not known, 0. */
  static int code(String level) {
    return Event.LEVELS.indexOf(level) + 1;
  }
}
