package vintrel.server.web;

import static org.assertj.core.api.Assertions.assertThat;

import org.junit.jupiter.api.Test;

class StartProgressTest {
  @Test
  void aShareStopsAt99AndAnUnknownTotalShowsTheCount() {
    var progress = new StartProgress("recovering", 1_000);
    progress.add(400);
    assertThat(progress.text()).isEqualTo("recovering, 40 %");
    progress.add(5_000);
    assertThat(progress.text()).isEqualTo("recovering, 99 %");
    var unknown = new StartProgress("reading series", 0);
    unknown.add(1_200);
    assertThat(unknown.text()).isEqualTo("reading series, 1,200");
  }
}
