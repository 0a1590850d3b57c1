package vintrel.core.panel;

import java.util.List;
import java.util.Map;
import vintrel.core.frame.Frame;

/**
 * A kind of panel with its settings. Every record that is permitted here has a public constant
 * {@code DEFAULT} with the settings that hold where a document says nothing.
 */
public sealed interface PanelKind permits TimeChart, BigNumber, Dial, Ranking, TablePanel, Note {
  /** Its name in documents and addresses. */
  String word();

  /** Its name for people. */
  String title();

  Need need();

  /** The question that it answers. */
  Question question();

  /** How long before an earlier time lies that is drawn beside this one, ms; 0: none is. */
  default long earlier() {
    return 0;
  }

  /** What is wrong with settings beyond their shape, by their names in documents. */
  default Map<String, String> faults() {
    return Map.of();
  }

  /** Draws what was asked for. */
  Drawing draw(Asked asked);

  /**
   * What a file of the panel holds: the answer, as long as a kind does not choose of it.
   *
   * @param answer of all lines that are shown
   */
  default List<Frame> file(Asked asked, List<Frame> answer) {
    return answer;
  }
}
