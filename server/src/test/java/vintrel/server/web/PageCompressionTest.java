package vintrel.server.web;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import jakarta.servlet.FilterChain;
import jakarta.servlet.http.HttpServletResponse;
import java.io.ByteArrayInputStream;
import java.nio.charset.StandardCharsets;
import java.util.Random;
import java.util.zip.GZIPInputStream;
import org.junit.jupiter.api.Test;
import org.springframework.mock.web.MockHttpServletRequest;
import org.springframework.mock.web.MockHttpServletResponse;

class PageCompressionTest {
  private static MockHttpServletRequest request(String method, String path, String accepts) {
    var request = new MockHttpServletRequest(method, path);
    if (accepts != null) {
      request.addHeader("Accept-Encoding", accepts);
    }
    return request;
  }

  private static MockHttpServletResponse answer(MockHttpServletRequest to, FilterChain chain)
      throws Exception {
    var response = new MockHttpServletResponse();
    new PageCompression().doFilter(to, response, chain);
    return response;
  }

  private static FilterChain writes(String type, String text, int piece) {
    return (request, response) -> {
      response.setContentType(type);
      ((HttpServletResponse) response).setStatus(200);
      var bytes = text.getBytes(StandardCharsets.UTF_8);
      response.setContentLength(bytes.length);
      for (int i = 0; i < bytes.length; i += piece) {
        response.getOutputStream().write(bytes, i, Math.min(piece, bytes.length - i));
        response.getOutputStream().flush();
      }
    };
  }

  private static String unpacked(MockHttpServletResponse response) throws Exception {
    assertThat(response.getHeader("Content-Encoding")).isEqualTo("gzip");
    assertThat(response.getHeader("Content-Length")).isNull();
    assertThat(response.getHeader("Vary")).isEqualTo("Accept-Encoding");
    var in = new GZIPInputStream(new ByteArrayInputStream(response.getContentAsByteArray()));
    return new String(in.readAllBytes(), StandardCharsets.UTF_8);
  }

  private static String numbers(int n) {
    var random = new Random(2);
    var out = new StringBuilder("[\"−µ\"");
    for (int i = 0; i < n; i++) {
      out.append(',').append(random.nextInt(1_000) / 10.0);
    }
    return out.append(']').toString();
  }

  @Test
  void whatAPageAsksForComesWholeAndSmaller() throws Exception {
    for (int piece : new int[] {1, 7, 2_048, 100_000}) {
      for (int n : new int[] {500, 20_000}) {
        var text = numbers(n);
        var response =
            answer(
                request("POST", "/dashboards/fleet/panels/p1", "gzip, deflate, br"),
                writes("application/json", text, piece));
        assertThat(unpacked(response)).isEqualTo(text);
        assertThat(response.getContentAsByteArray().length).isLessThan(text.length() / 2);
      }
    }
  }

  @Test
  void othersStayAsTheyAre() throws Exception {
    var large = numbers(5_000);
    var json = "application/json;charset=UTF-8";
    for (var response :
        new MockHttpServletResponse[] {
          answer(request("GET", "/dashboards/fleet", "gzip"), writes(json, large, 999)),
          answer(request("POST", "/api/v1/query", "gzip"), writes(json, large, 999)),
          answer(request("POST", "/bench/csv", "gzip"), writes("text/csv", large, 999)),
          answer(request("POST", "/bench/answer", null), writes(json, large, 999)),
          answer(request("POST", "/bench/answer", "br, gzip;q=0"), writes(json, large, 999))
        }) {
      assertThat(response.getHeader("Content-Encoding")).isNull();
      assertThat(response.getContentAsString(StandardCharsets.UTF_8)).isEqualTo(large);
    }
    var small = answer(request("POST", "/bench/answer", "gzip"), writes(json, "{\"a\":1}", 3));
    assertThat(small.getHeader("Content-Encoding")).isNull();
    assertThat(small.getContentAsString()).isEqualTo("{\"a\":1}");
  }

  @Test
  void whatIsWrittenLaterIsRefusedLoudly() {
    var request = request("POST", "/bench/answer", "gzip");
    request.setAsyncSupported(true);
    assertThatThrownBy(() -> answer(request, (asked, answer) -> asked.startAsync()))
        .isInstanceOf(IllegalStateException.class);
  }

  @Test
  void whatWasThrownAwayIsNotSent() throws Exception {
    var response =
        answer(
            request("POST", "/bench/answer", "gzip"),
            (asked, answer) -> {
              answer.setContentType("application/json");
              answer.getOutputStream().write("{\"half".getBytes(StandardCharsets.UTF_8));
              answer.reset();
              answer.setContentType("application/json");
              answer.getOutputStream().write("{\"error\":1}".getBytes(StandardCharsets.UTF_8));
            });
    assertThat(response.getContentAsString()).isEqualTo("{\"error\":1}");
  }
}
