package vintrel.server.ask;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatCode;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;

/**
 * Which host a database's address connects to is decided once: only a certificate that is checked
 * against the name may leave the name to the driver, which asks for its address again.
 */
class SqlAddressTest {
  @ParameterizedTest
  @ValueSource(
      strings = {
        "currentSchema=mode=verify-full",
        "sslmode=verify-full&sslmode=disable",
        "sslmode=verify-full&sslMode=disable",
        "ssl=true&ssl=false",
        "currentSchema=a%26sslmode",
        "currentSchema=a b",
        "socketFactory=x",
        "sslmode=disable&",
        "",
      })
  void parametersThatSayTwoThingsAreRefused(String parameters) {
    assertThatThrownBy(() -> SqlStores.checkParameters(parameters))
        .isInstanceOf(IllegalArgumentException.class);
  }

  @ParameterizedTest
  @ValueSource(strings = {"sslmode=verify-full", "ssl=true&currentSchema=public", "useSsl", "ssl="})
  void othersAreTaken(String parameters) {
    assertThatCode(() -> SqlStores.checkParameters(parameters)).doesNotThrowAnyException();
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "jdbc:postgresql://db/sslmode=verify-full",
        "jdbc:postgresql://db/x?currentSchema=sslmode=verify-full",
        "jdbc:postgresql://db/x?sslmode=verify-ca",
        "jdbc:h2:tcp://db/x",
      })
  void theNameIsKeptForACertificateAlone(String url) {
    assertThat(SqlStores.isVerified(url)).isFalse();
    assertThat(SqlStores.isVerified("jdbc:postgresql://db/x?ssl=true&sslMode=verify-full"))
        .isTrue();
  }
}
