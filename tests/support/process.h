// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Runs the real program and collects what it says.
#include <chrono>
#include <csignal>
#include <string>
#include <thread>
#include <vector>

#include <fcntl.h>
#include <sys/wait.h>
#include <unistd.h>

#include <nlohmann/json.hpp>

#include "support/temp_folder.h"

namespace wyc::test {

struct Outcome {
    int code = -1; // 128 + signal when it was killed
    std::string out;
    std::string err;
    [[nodiscard]] nlohmann::json json() const { return nlohmann::json::parse(out, nullptr, false); }
};

/// A program that runs beside the test.
class Process {
  public:
    explicit Process(std::vector<std::string> arguments, const char* program = WYC_PROGRAM) {
        std::string pattern = (fs::temp_directory_path() / "wyc-out-XXXXXX").string();
        folder_ = ::mkdtemp(pattern.data());
        arguments.insert(arguments.begin(), program);
        pid_ = ::fork();
        if (pid_ == 0) {
            const int out = ::open((folder_ / "out").c_str(), O_WRONLY | O_CREAT, 0600);
            const int err = ::open((folder_ / "err").c_str(), O_WRONLY | O_CREAT, 0600);
            ::dup2(out, 1);
            ::dup2(err, 2);
            std::vector<char*> argv;
            for (std::string& argument : arguments)
                argv.push_back(argument.data());
            argv.push_back(nullptr);
            ::execv(program, argv.data());
            ::_exit(127);
        }
    }
    ~Process() {
        if (pid_ > 0 && !waited_) {
            ::kill(pid_, SIGKILL);
            ::waitpid(pid_, nullptr, 0);
        }
        fs::remove_all(folder_);
    }
    Process(const Process&) = delete;
    Process& operator=(const Process&) = delete;
    void signal(int number) const { ::kill(pid_, number); }
    Outcome wait() {
        int status = 0;
        ::waitpid(pid_, &status, 0);
        waited_ = true;
        Outcome outcome;
        outcome.code = WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
        outcome.out = readFile(folder_ / "out");
        outcome.err = readFile(folder_ / "err");
        return outcome;
    }

  private:
    fs::path folder_;
    pid_t pid_ = -1;
    bool waited_ = false;
};

inline Outcome wyc(std::vector<std::string> arguments) {
    return Process(std::move(arguments)).wait();
}

} // namespace wyc::test
