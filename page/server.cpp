#include "page/server.hpp"

#include <array>
#include <charconv>
#include <chrono>
#include <functional>
#include <httplib.h>
#include <mutex>
#include <stdexcept>
#include <string_view>
#include <utility>

#include <fmt/format.h>

#include "page/answers.hpp"
#include "page/assets.hpp"
#include "page/drives.hpp"
#include "page/keep.hpp"
#include "page/live_file.hpp"
#include "page/references.hpp"
#include "page/tune_answers.hpp"
#include "page/wish_answer.hpp"

namespace hopcoil::page {
namespace {

constexpr std::size_t largest_body = std::size_t{40} << 20U;
constexpr std::size_t threads = 64;
constexpr int patience_s = 5;  ///< with half a request
constexpr std::chrono::seconds longest_wait{20};
constexpr const char* json_kind = "application/json; charset=utf-8";

void put(httplib::Response& response, int status, const std::string& json) {
    response.status = status;
    response.set_content(json, json_kind);
}

std::string text_of(const Json& json) {
    return json.dump(-1, ' ', false, Json::error_handler_t::replace);
}

void put_problem(httplib::Response& response, int status, const std::string& message) {
    put(response, status, text_of(problem_json(status, message)));
}

constexpr int most_waiting = 1024;  ///< connections, before they are taken up

}  // namespace

struct LiveServer::Inside {
    explicit Inside(const ServerSettings& settings)
        : file{settings.scene, settings.seed}, longest_answer{settings.longest_answer} {
        server.set_socket_options([this](socket_t made) {
            const int yes = 1;  // again soon after it was left; but never with another program
            setsockopt(made, SOL_SOCKET, SO_REUSEADDR, &yes, sizeof(yes));
            listening = made;
        });
        if (settings.port == 0) {
            port = server.bind_to_any_port("127.0.0.1");
        } else if (server.bind_to_port("127.0.0.1", settings.port)) {
            port = settings.port;
        }
        if (port <= 0) {
            throw std::runtime_error{fmt::format(
                "hopcoil live: port {} on 127.0.0.1 cannot be had: another program may have it; "
                "without --port a free one is found",
                settings.port)};
        }
        ::listen(listening, most_waiting);  // the library's own queue is a handful
        set_bounds();
        set_guards();
        add_assets();
        add_interface();
    }

    using Answer = std::function<std::string(const LiveFile::Snapshot&, const httplib::Request&)>;

    void set_bounds() {
        server.new_task_queue = [] {
            return new httplib::ThreadPool{threads};
        };
        server.set_payload_max_length(largest_body);
        server.set_read_timeout(patience_s);
        server.set_write_timeout(patience_s);
        server.set_keep_alive_timeout(2);
        server.set_keep_alive_max_count(100'000);
        server.set_tcp_nodelay(true);
        server.set_default_headers({{"X-Content-Type-Options", "nosniff"},
                                    {"Cache-Control", "no-store"},
                                    {"Referrer-Policy", "no-referrer"},
                                    {"Content-Security-Policy",
                                     "default-src 'self'; style-src 'self' 'unsafe-inline'; "
                                     "img-src 'self' data:; frame-ancestors 'none'"}});
    }

    /// The names of this server. A request with any other name was meant for another host.
    [[nodiscard]] bool is_own(const std::string& host) const {
        return host == fmt::format("127.0.0.1:{}", port) ||
               host == fmt::format("localhost:{}", port);
    }

    [[nodiscard]] bool is_welcome(const httplib::Request& request) const {
        if (!is_own(request.get_header_value("Host"))) return false;
        const std::string origin = request.get_header_value("Origin");
        constexpr std::string_view scheme = "http://";
        return origin.empty() ||
               (origin.starts_with(scheme) && is_own(origin.substr(scheme.size())));
    }

    void set_guards() {
        server.set_pre_routing_handler([this](const httplib::Request& request,
                                              httplib::Response& response) {
            if (is_welcome(request)) return httplib::Server::HandlerResponse::Unhandled;
            put_problem(response, forbidden,
                        fmt::format("this page is for this machine alone: ask for {}", address()));
            return httplib::Server::HandlerResponse::Handled;
        });
        server.set_exception_handler([](const httplib::Request&, httplib::Response& response,
                                        const std::exception_ptr& thrown) {
            const Answered answered = answer_for(thrown);
            put(response, answered.status, text_of(answered.body));
        });
        server.set_error_handler([](const httplib::Request& request, httplib::Response& response) {
            if (!response.body.empty()) return;
            const int status = response.status;
            put_problem(response, status,
                        status == not_found
                            ? fmt::format("there is nothing at {}", request.path)
                            : fmt::format("the request could not be taken ({})", status));
        });
    }

    void add_assets() {
        for (const Asset& asset : assets()) {
            const auto serve = [&asset](const httplib::Request&, httplib::Response& response) {
                // Not set_content(): that compresses text, which takes seconds for the library that
                // draws space, and saves nothing on the machine itself.
                response.set_content_provider(
                    asset.bytes.size(), std::string{asset.kind},
                    [&asset](std::size_t from, std::size_t length, httplib::DataSink& sink) {
                        return sink.write(asset.bytes.data() + from, length);
                    });
            };
            server.Get(std::string{asset.path}, serve);
            if (asset.path == "/index.html") server.Get("/", serve);
        }
    }

    void get(const std::string& path, const Answer& answer) {
        server.Get(path,
                   [this, answer](const httplib::Request& request, httplib::Response& response) {
                       put(response, 200, answer(file.now(), request));
                   });
    }

    void post(const std::string& path,
              const std::function<std::string(const LiveFile::Snapshot&, const Request&)>& answer) {
        server.Post(
            path, [this, answer](const httplib::Request& request, httplib::Response& response) {
                // A form of a foreign page can send no JSON without asking first.
                if (request.get_header_value("Content-Type").find("application/json") ==
                    std::string::npos) {
                    throw RequestProblem{bad_request, "expected a body of application/json"};
                }
                put(response, 200, answer(file.now(), Request::from_text(request.body)));
            });
    }

    void add_interface() {
        get("/v1/scene", [](const auto& now, const auto&) { return text_of(scene_answer(now)); });
        server.Get("/v1/changes", [this](const httplib::Request& request,
                                         httplib::Response& response) {
            const LiveFile::Snapshot next =
                file.wait_for_other(asked_revision(request), longest_wait);
            put(response, 200,
                text_of({{"revision", next.revision},
                         {"problem", next.problem.empty() ? Json(nullptr) : Json(next.problem)}}));
        });
        post("/v1/run", [this](const auto& now, const Request& request) {
            return run_answer(*now.scene, request, longest_answer);
        });
        post("/v1/step", [this](const auto& now, const Request& request) {
            return text_of(step_answer(now, request, cache));
        });
        post("/v1/drives", [this](const auto& now, const Request& request) {
            const std::scoped_lock one_writes{writing};
            return text_of(keep_drive_answer(*now.scene, request));
        });
        post("/v1/wish", [](const auto& now, const Request& request) {
            return text_of(wish_answer(*now.scene, request));
        });
        post("/v1/map", [this](const auto& now, const Request& request) {
            return text_of(map_answer(*now.scene, request, longest_answer));
        });
        post("/v1/fit", [this](const auto& now, const Request& request) {
            return text_of(fit_answer(*now.scene, request, longest_answer));
        });
        get("/v1/tunings",
            [](const auto& now, const auto&) { return text_of(tunings_answer(*now.scene)); });
        post("/v1/tunings", [this](const auto& now, const Request& request) {
            const std::scoped_lock one_writes{writing};
            std::string text = text_of(save_answer(*now.scene, request));
            file.look();
            return text;
        });
        post("/v1/patch", [this](const auto& now, const Request& request) {
            require_sound(now);
            const std::scoped_lock one_writes{writing};
            std::string text = text_of(patch_answer(*now.scene, request));
            file.look();
            return text;
        });
        get("/v1/references",
            [](const auto& now, const auto&) { return text_of(references_answer(*now.scene)); });
        get(R"(/v1/references/([^/]+))", [](const auto& now, const httplib::Request& request) {
            return reference_answer(*now.scene, request.matches[1]);
        });
        post("/v1/references", [](const auto& now, const Request& request) {
            return sent_reference_answer(*now.scene, request);
        });
        get("/v1/frames",
            [](const auto& now, const auto&) { return text_of(frames_answer(*now.scene)); });
        server.Get(R"(/v1/frames/([^/]+)/(\d{1,6}))",
                   [this](const httplib::Request& request, httplib::Response& response) {
                       response.set_content(frame_answer(*file.now().scene, request.matches[1],
                                                         std::stoul(request.matches[2].str())),
                                            "image/png");
                   });
    }

    static std::uint64_t asked_revision(const httplib::Request& request) {
        const std::string text = request.get_param_value("after");
        std::uint64_t revision = 0;
        const auto read = std::from_chars(text.data(), text.data() + text.size(), revision);
        if (text.empty() || read.ec != std::errc{} || read.ptr != text.data() + text.size()) {
            throw RequestProblem{bad_request,
                                 fmt::format("after: expected a revision, found '{}'", text)};
        }
        return revision;
    }

    /// The file on disk now may be half-edited.
    static void require_sound(const LiveFile::Snapshot& now) {
        if (now.problem.empty()) return;
        throw RequestProblem{conflict, fmt::format("the scene's files have problems of their own; "
                                                   "mend those first\n{}",
                                                   now.problem)};
    }

    [[nodiscard]] std::string address() const { return fmt::format("http://127.0.0.1:{}/", port); }

    LiveFile file;
    std::chrono::milliseconds longest_answer;
    LiveCache cache;
    std::mutex writing;
    httplib::Server server;
    socket_t listening = INVALID_SOCKET;
    int port = 0;
};

LiveServer::LiveServer(const ServerSettings& settings)
    : inside_{std::make_unique<Inside>(settings)} {}
LiveServer::~LiveServer() {
    stop();
}

int LiveServer::port() const noexcept {
    return inside_->port;
}
std::string LiveServer::address() const {
    return inside_->address();
}

void LiveServer::serve() {
    inside_->server.listen_after_bind();
}

void LiveServer::stop() noexcept {
    inside_->file.stop();
    inside_->server.stop();
}

}  // namespace hopcoil::page
